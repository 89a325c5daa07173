import { useRef, useSyncExternalStore } from 'react';
import * as d3 from 'd3';
import { lineLaserClient } from './line-laser-client';

const WIDTH = 1000;
const HEIGHT = 56;

/** The recording from its first to its last picture: the turn, how much line was found, the picture on show. */
export function LineTimeline() {
  const { pictures, setup, found, show, recording } = useSyncExternalStore(
    lineLaserClient.subscribe,
    lineLaserClient.current,
  );
  const dragging = useRef<'picture' | null>(null);
  if (pictures === 0) return null;
  const { turn } = setup;
  const x = d3.scaleLinear([0, Math.max(1, pictures - 1)], [6, WIDTH - 6]);
  const y = d3.scaleLinear([0, 1], [HEIGHT - 6, 8]);
  const known = found ? Array.from(found, (v, k) => ({ v, k })) : [];
  const area = d3
    .area<{ v: number; k: number }>()
    .defined((d) => Number.isFinite(d.v))
    .x((d) => x(d.k))
    .y0(HEIGHT - 6)
    .y1((d) => y(d.v));
  const pictureAt = (e: React.PointerEvent<SVGSVGElement>): number => {
    const box = e.currentTarget.getBoundingClientRect();
    const k = Math.round(x.invert(((e.clientX - box.left) / box.width) * WIDTH));
    return Math.max(0, Math.min(pictures - 1, k));
  };
  const move = (e: React.PointerEvent<SVGSVGElement>): void => {
    const k = pictureAt(e);
    if (dragging.current === 'picture') lineLaserClient.look({ picture: k });
  };
  const last = Math.min(pictures - 1, turn.first + turn.count);
  return (
    <div className="shrink-0 border-t border-line bg-panel px-3 py-1">
      <svg
        viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
        preserveAspectRatio="none"
        className="block h-12 w-full cursor-pointer touch-none"
        role="slider"
        tabIndex={0}
        aria-label="Picture of the recording"
        aria-valuemin={1}
        aria-valuemax={pictures}
        aria-valuenow={(show.picture ?? pictures - 1) + 1}
        onPointerDown={(e) => {
          if (recording) return;
          dragging.current = 'picture';
          e.currentTarget.setPointerCapture(e.pointerId);
          move(e);
        }}
        onPointerMove={(e) => dragging.current && move(e)}
        onPointerUp={() => (dragging.current = null)}
        onKeyDown={(e) => {
          const step = { ArrowLeft: -1, ArrowRight: 1, PageDown: -10, PageUp: 10 }[e.key];
          if (!step || recording) return;
          e.preventDefault();
          const k = Math.max(0, Math.min(pictures - 1, (show.picture ?? 0) + step));
          lineLaserClient.look({ picture: k });
        }}
      >
        <rect x={6} y={4} width={WIDTH - 12} height={HEIGHT - 8} fill="var(--sunk)" />
        {turn.count > 0 && !recording && (
          <rect
            x={x(turn.first)}
            y={4}
            width={Math.max(1, x(last) - x(turn.first))}
            height={HEIGHT - 8}
            fill="var(--amber-soft)"
            stroke="var(--amber)"
            vectorEffect="non-scaling-stroke"
          />
        )}
        <path d={area(known) ?? ''} fill="var(--teal)" fillOpacity={0.35} />
        {show.picture !== null && (
          <path
            d={`M${x(show.picture)},2V${HEIGHT - 2}`}
            stroke="var(--ink)"
            strokeWidth={2}
            vectorEffect="non-scaling-stroke"
          />
        )}
      </svg>
      <div className="flex justify-between text-muted">
        <span>
          {recording ? 'Recording: ' : ''}
          <span className="num">{pictures}</span> pictures
        </span>
        {!recording && turn.count > 0 && (
          <span>
            <span aria-hidden className="mr-1 inline-block h-2.5 w-2.5 border border-amber bg-amber-soft" />
            one turn: <span className="num">{turn.count.toFixed(1)}</span> pictures
            <span aria-hidden className="ml-4 mr-1 inline-block h-2.5 w-2.5 bg-teal opacity-40" />
            rows with a line
          </span>
        )}
      </div>
    </div>
  );
}
