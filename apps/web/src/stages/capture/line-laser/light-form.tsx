import { useSyncExternalStore } from 'react';
import type { LaserColor } from '@amber-knit/core/line-laser';
import { lineLaserClient } from './line-laser-client';

const COLORS: [LaserColor, string][] = [
  ['red', 'Red'],
  ['green', 'Green'],
  ['blue', 'Blue'],
];

/** How the laser's light is told from all other light; every change shows at once in the picture. */
export function LightForm() {
  const { setup, show } = useSyncExternalStore(lineLaserClient.subscribe, lineLaserClient.current);
  const { lines } = setup;
  const change = (part: Partial<typeof lines>): void => lineLaserClient.change({ lines: { ...lines, ...part } });
  const sliders: [string, string, string, 'suppression' | 'threshold' | 'lineWidth', number, number, number][] = [
    [
      'Light suppression',
      'More hides white light better; too much also eats an over-exposed line.',
      '',
      'suppression',
      0,
      1,
      0.05,
    ],
    ['Threshold', 'A line must stand out by so many grey levels.', '', 'threshold', 4, 150, 1],
    ['Line width', 'Set it near the width that is read off below the picture.', 'px', 'lineWidth', 1, 15, 0.5],
  ];
  return (
    <section aria-label="Laser light" className="mt-4 flex flex-col gap-1.5">
      <h3 className="m-0 text-sm font-semibold">Laser light</h3>
      <label className="grid grid-cols-[1fr_8rem] items-center gap-2">
        Colour of the laser
        <select
          value={lines.color}
          onChange={(e) => change({ color: e.target.value as LaserColor })}
          className="rounded-lg border border-[var(--field)] bg-panel px-2 py-1"
        >
          {COLORS.map(([v, t]) => (
            <option key={v} value={v}>
              {t}
            </option>
          ))}
        </select>
      </label>
      {sliders.map(([title, help, unit, name, min, max, step]) => (
        <label key={name} className="block" title={help}>
          <span className="flex justify-between">
            {title}
            <span className="num">
              {lines[name]} {unit}
            </span>
          </span>
          <input
            type="range"
            min={min}
            max={max}
            step={step}
            value={lines[name]}
            onChange={(e) => change({ [name]: Number(e.target.value) })}
            className="w-full accent-[var(--amber)]"
          />
        </label>
      ))}
      <label className="flex items-center gap-2">
        <input
          type="checkbox"
          checked={show.light}
          onChange={(e) => lineLaserClient.look({ light: e.target.checked })}
        />
        Show only what counts as laser light
      </label>
    </section>
  );
}
