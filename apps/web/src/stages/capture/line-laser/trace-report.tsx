import { useSyncExternalStore } from 'react';
import type { TraceReason } from '@amber-knit/core/line-laser';
import { lineLaserClient } from './line-laser-client';

/** Where a clicked place comes from, or why it is missing. */
export function TraceReport() {
  const { traced, setup, show } = useSyncExternalStore(lineLaserClient.subscribe, lineLaserClient.current);
  if (!traced) return null;
  const [x, y, z] = traced.place;
  return (
    <section aria-label="Traced place" className="mt-4 flex flex-col gap-1.5">
      <h3 className="m-0 text-sm font-semibold">Traced place</h3>
      <p className="num m-0 text-muted">
        {x.toFixed(1)}, {y.toFixed(1)}, {z.toFixed(1)} mm
      </p>
      {traced.traces.length === 0 && <p className="m-0">The sheet passes this place in no picture of the recording.</p>}
      {traced.traces.map((t) => (
        <button
          key={t.picture}
          type="button"
          aria-pressed={show.picture === t.picture}
          onClick={() => lineLaserClient.look({ picture: t.picture })}
          className={`rounded-lg border px-3 py-2 text-left ${show.picture === t.picture ? 'border-amber bg-amber-soft' : 'border-line bg-panel'}`}
        >
          <b className="font-semibold">
            Picture {t.picture + 1}, column <span className="num">{t.column.toFixed(0)}</span>, row{' '}
            <span className="num">{t.row.toFixed(0)}</span>
          </b>
          <span className="block">{REASONS[t.reason.finding](t.reason, setup.lines.threshold)}</span>
          <span className="block text-muted">
            {t.facing ? 'The place faces the laser.' : 'The place is on the far side of the axis.'} Light comes from{' '}
            <span className="num">{bearing(t.light)}°</span>.
          </span>
        </button>
      ))}
    </section>
  );
}

const REASONS: Record<TraceReason['finding'], (r: TraceReason, threshold: number) => string> = {
  measured: (r) => `Measured here: the line stands out by ${r.light.toFixed(0)} levels.`,
  burnt: () => 'Over-exposed here: the line’s middle is lost. Shorten the exposure or dim the laser.',
  faint: (r, t) =>
    `Too faint: it stands out by ${r.light.toFixed(0)} levels, ${t} are asked for. Lower the threshold or expose longer.`,
  elsewhere: (r) =>
    `Hidden: in this row the line is seen at column ${r.lineColumn?.toFixed(0)}, on something nearer or behind.`,
  dark: () => 'No laser light arrives here: something stands in its way. Another setup shows this place.',
  outside: () => 'Outside the picture: turn or move the camera, or scan another setup.',
};

/** Direction that light comes from, degrees round the axis in the object's frame. */
function bearing([x, y]: readonly number[]): string {
  return (((Math.atan2(-y, -x) * 180) / Math.PI + 360) % 360).toFixed(0);
}
