import { useSyncExternalStore } from 'react';
import * as d3 from 'd3';
import { lineLaserClient } from './line-laser-client';
import { NumberRow } from '../../../shared/number-row';

const WIDTH = 280;
const HEIGHT = 90;

/** One exact turn: proposed from the pictures, adjustable. */
export function TurnForm() {
  const { search, setup, pictures } = useSyncExternalStore(lineLaserClient.subscribe, lineLaserClient.current);
  if (!search) return null;
  const { turn } = setup;
  const change = (part: Partial<typeof turn>): void => lineLaserClient.change({ turn: { ...turn, ...part } });
  return (
    <section aria-label="One turn" className="mt-4 flex flex-col gap-1.5">
      <h3 className="m-0 text-sm font-semibold">One exact turn</h3>
      <p className={`m-0 ${search.clear ? '' : 'text-brick'}`}>
        {search.clear
          ? 'Found by comparing the pictures: a turn later the object looks the same.'
          : 'No turn stands out: the object looks alike all round, or less than one turn was recorded. Check the number, or stick on a mark and record again.'}
      </p>
      <DifferenceCurve curve={search.curve} chosen={turn.count} />
      <div className="flex flex-wrap gap-1" role="group" aria-label="Proposed turns">
        {search.candidates.map((c) => (
          <button
            key={c.count}
            type="button"
            aria-pressed={Math.abs(c.count - turn.count) < 0.01}
            onClick={() => change({ count: c.count })}
            className={`num min-h-7 rounded-lg border px-2 ${Math.abs(c.count - turn.count) < 0.01 ? 'border-teal bg-teal-soft text-teal' : 'border-line bg-panel'}`}
          >
            {c.count.toFixed(1)}
          </button>
        ))}
      </div>
      <NumberRow
        title="Pictures a turn"
        unit=""
        min={1}
        max={100000}
        step={0.1}
        value={turn.count}
        onChange={(count) => change({ count })}
      />
      <NumberRow
        title="First picture"
        unit=""
        min={1}
        max={pictures}
        step={1}
        value={turn.first + 1}
        onChange={(first) => change({ first: first - 1 })}
      />
      <label
        className="grid grid-cols-[1fr_11.5rem] items-center gap-2"
        title="Seen from above. The wrong way mirrors the object."
      >
        Turning
        <select
          value={turn.direction}
          onChange={(e) => change({ direction: Number(e.target.value) as 1 | -1 })}
          className="rounded-lg border border-[var(--field)] bg-panel px-2 py-1"
        >
          <option value={1}>counter-clockwise</option>
          <option value={-1}>clockwise</option>
        </select>
      </label>
    </section>
  );
}

/** Difference of pictures by their distance: its lowest place is the turn. */
function DifferenceCurve({ curve, chosen }: { curve: Float32Array; chosen: number }) {
  const known = Array.from(curve, (v, p) => ({ v, p })).filter((d) => d.v > 0);
  if (known.length < 2) return null;
  const x = d3.scaleLinear([known[0].p, known[known.length - 1].p], [26, WIDTH - 6]);
  const y = d3.scaleLinear([0, d3.max(known, (d) => d.v) ?? 1], [HEIGHT - 18, 6]);
  const path = d3
    .line<{ v: number; p: number }>()
    .x((d) => x(d.p))
    .y((d) => y(d.v));
  return (
    <svg
      viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
      className="block w-full"
      role="img"
      aria-label="Difference of pictures by their distance"
    >
      {x.ticks(5).map((t) => (
        <text key={t} x={x(t)} y={HEIGHT - 5} fontSize={10} textAnchor="middle" fill="var(--muted)" className="num">
          {t}
        </text>
      ))}
      <path d={`M26,${HEIGHT - 18}H${WIDTH - 6}`} stroke="var(--line)" />
      <path d={path(known) ?? ''} fill="none" stroke="var(--teal)" strokeWidth={1.5} />
      {chosen >= known[0].p && chosen <= known[known.length - 1].p && (
        <path d={`M${x(chosen)},4V${HEIGHT - 18}`} stroke="var(--amber)" strokeWidth={2} strokeDasharray="3 2" />
      )}
      <text
        x={12}
        y={HEIGHT / 2 - 8}
        fontSize={10}
        fill="var(--muted)"
        transform={`rotate(-90 12 ${HEIGHT / 2 - 8})`}
        textAnchor="middle"
      >
        difference
      </text>
    </svg>
  );
}
