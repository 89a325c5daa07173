import { useSyncExternalStore } from 'react';
import * as d3 from 'd3';
import { lineLaserClient } from './line-laser-client';

const WIDTH = 400;
const HEIGHT = 150;
const BASE = HEIGHT - 20;

/** The laser's light along one row of the picture, with the line found in it: shows what threshold and suppression do. */
export function RowProfile() {
  const { shown, setup, size } = useSyncExternalStore(lineLaserClient.subscribe, lineLaserClient.current);
  if (!shown) return null;
  const { profile, row, line } = shown;
  const x = d3.scaleLinear([0, profile.length - 1], [30, WIDTH - 8]);
  const y = d3.scaleLinear([0, Math.max(80, d3.max(profile) ?? 0)], [BASE, 10]).nice();
  const path = d3
    .line<number>()
    .x((_, u) => x(u))
    .y((v) => y(v));
  const centres = Array.from(line.columns).filter((_, i) => line.rows[i] === row);
  return (
    <figure className="m-0 shrink-0 border-t border-line bg-panel px-2 pt-1">
      <figcaption className="flex justify-between px-1">
        <span>
          Laser light along row <span className="num">{row + 1}</span>
        </span>
        <label className="flex items-center gap-2 text-muted">
          Row
          <input
            type="range"
            min={0}
            max={size.height - 1}
            value={row}
            onChange={(e) => lineLaserClient.look({ row: Number(e.target.value) })}
            aria-label="Row of the profile"
            className="w-28 accent-[var(--amber)]"
          />
        </label>
      </figcaption>
      <svg
        viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
        className="block max-h-44 w-full"
        role="img"
        aria-label="Light along a row"
      >
        {y.ticks(4).map((t) => (
          <g key={t}>
            <path d={`M30,${y(t)}H${WIDTH - 8}`} stroke="var(--line)" />
            <text x={26} y={y(t) + 3} fontSize={9} textAnchor="end" fill="var(--muted)" className="num">
              {t}
            </text>
          </g>
        ))}
        {x.ticks(6).map((t) => (
          <text key={t} x={x(t)} y={HEIGHT - 7} fontSize={9} textAnchor="middle" fill="var(--muted)" className="num">
            {t}
          </text>
        ))}
        <path d={`M30,${y(setup.lines.threshold)}H${WIDTH - 8}`} stroke="var(--brick)" strokeDasharray="4 3" />
        <text x={WIDTH - 10} y={y(setup.lines.threshold) - 3} fontSize={9} textAnchor="end" fill="var(--brick)">
          threshold
        </text>
        <path d={path(profile as unknown as number[]) ?? ''} fill="none" stroke="var(--ink)" strokeWidth={1.1} />
        {centres.map((c) => (
          <g key={c}>
            <path d={`M${x(c)},10V${BASE}`} stroke="var(--teal)" strokeWidth={1.4} />
            <text x={x(c) + 4} y={18} fontSize={9.5} fill="var(--teal)" className="num">
              {c.toFixed(2)}
            </text>
          </g>
        ))}
      </svg>
    </figure>
  );
}
