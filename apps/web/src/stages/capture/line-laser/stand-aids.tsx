import { useSyncExternalStore } from 'react';
import type { HeldAt } from '@amber-knit/device-protocol';
import { lineLaserClient } from './line-laser-client';

/** Leaning less than this counts as level, degrees. */
const LEVEL = 0.15;

/** Nudges for the simulated stand: what a hand does to a real one. */
const NUDGES: { title: string; less: string; more: string; by: (h: HeldAt, s: number) => Partial<HeldAt> }[] = [
  { title: 'Tilt', less: 'down', more: 'up', by: (h, s) => ({ pitch: h.pitch + 0.1 * s }) },
  { title: 'Turn', less: 'left', more: 'right', by: (h, s) => ({ yaw: h.yaw + 0.1 * s }) },
  { title: 'Raise', less: 'lower', more: 'higher', by: (h, s) => ({ up: h.up + 0.5 * s }) },
  { title: 'Move', less: 'nearer', more: 'away', by: (h, s) => ({ distance: h.distance + 5 * s }) },
  { title: 'Laser', less: 'inwards', more: 'outwards', by: (h, s) => ({ around: h.around + 0.5 * s }) },
];

/** Helps to set the stand up: spirit level, where the axis stands, focus and exposure in words. */
export function StandAids() {
  const { level, shown, estimate, bench, size } = useSyncExternalStore(
    lineLaserClient.subscribe,
    lineLaserClient.current,
  );
  const q = shown?.quality;
  if (!q) return null;
  return (
    <section aria-label="Setting the stand up" className="mt-3 flex flex-col gap-2">
      <h3 className="m-0 text-sm font-semibold">Setting the stand up</h3>
      {level && <SpiritLevel {...level} />}
      {estimate && <p className="m-0">{centring(estimate.axisColumn - (size.width - 1) / 2, estimate.camera.fx)}</p>}
      <p className="m-0">{exposure(q.found, q.brightness, q.burnt, q.width)}</p>
      {bench && (
        <div
          className="grid grid-cols-[3.5rem_1fr_1fr] items-center gap-x-2 gap-y-1"
          role="group"
          aria-label="Move the stand"
        >
          {NUDGES.map(({ title, less, more, by }) => (
            <div key={title} className="contents">
              <span>{title}</span>
              {[-1, 1].map((s) => (
                <button
                  key={s}
                  type="button"
                  className="min-h-7 rounded-lg border border-line bg-panel px-2 hover:bg-sunk"
                  aria-label={`${title} ${s < 0 ? less : more}`}
                  onClick={() => lineLaserClient.tell({ type: 'bench', hold: by(bench.held, s) })}
                >
                  {s < 0 ? less : more}
                </button>
              ))}
            </div>
          ))}
        </div>
      )}
    </section>
  );
}

function SpiritLevel({ pitch, roll }: { pitch: number; roll: number }) {
  const flat = Math.abs(pitch) < LEVEL && Math.abs(roll) < LEVEL;
  const at = (degrees: number): number => Math.max(-18, Math.min(18, 8 * degrees));
  return (
    <div className="flex items-center gap-3">
      <svg width={52} height={52} viewBox="-26 -26 52 52" aria-hidden>
        <circle r={24} fill="var(--sunk)" stroke="var(--field)" />
        <circle r={8} fill="none" stroke="var(--muted)" />
        <circle cx={-at(roll)} cy={-at(pitch)} r={6} fill={flat ? 'var(--teal)' : 'var(--amber)'} />
      </svg>
      <div>
        <b className="font-semibold">
          {flat ? 'Level' : pitch < -LEVEL ? 'Leans down' : pitch > LEVEL ? 'Leans up' : 'Leans aside'}
        </b>
        <div className="num text-muted">
          {Math.abs(pitch).toFixed(1)}° {pitch < 0 ? 'down' : 'up'}, {Math.abs(roll).toFixed(1)}° aside
        </div>
        {!flat && <div className="text-muted">Up and down is counted in, aside is not.</div>}
      </div>
    </div>
  );
}

/** Where the axis stands in the picture, and what to do. */
function centring(off: number, focal: number): string {
  const degrees = (Math.atan(off / focal) * 180) / Math.PI;
  if (Math.abs(degrees) < 0.1) return 'The camera looks at the axis.';
  const side = off < 0 ? 'left' : 'right';
  return `The axis stands ${Math.abs(off).toFixed(0)} px ${side} of the middle. Turn the camera ${Math.abs(degrees).toFixed(1)}° to the ${side}, or leave it: it is counted in.`;
}

function exposure(found: number, brightness: number, burnt: number, width: number): string {
  if (found < 0.05) return 'No laser line is found: brighten the laser or the exposure, or lower the threshold.';
  if (burnt > 0.2) return 'The line is over-exposed: its middle is lost. Shorten the exposure or dim the laser.';
  if (brightness < 60) return 'The line is faint. Lengthen the exposure or brighten the laser.';
  if (width > 7) return 'The line is wide: focus on it, or move to where the lens is sharp.';
  return 'Focus and exposure are good. Hold both from now on.';
}
