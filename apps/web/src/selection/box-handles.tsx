import { useEffect, useRef, useState, type PointerEvent } from 'react';
import { boxChanged, type CropBox } from '../app/select-slice';
import { useAppDispatch } from '../app/store';
import type { ViewEngine } from '../view/view-engine';
import { draggedSide, EDGES, FACES, sideMoved, type Face } from './crop-box';

/** Keys move a side by so much, with Shift by ten times as much, mm. */
const STEP = 1;
const KEYS: Record<string, number | undefined> = { ArrowLeft: -1, ArrowDown: -1, ArrowRight: 1, ArrowUp: 1 };

/** The crop box over the view: its edges, and a handle on each side that is dragged along its axis. */
export function BoxHandles({ engine, box }: { engine: ViewEngine; box: CropBox }) {
  const dispatch = useAppDispatch();
  const [, redraw] = useState(0);
  const drag = useRef<{ face: Face; at: [number, number]; box: CropBox } | null>(null);
  useEffect(() => {
    redraw((n) => n + 1);
    return engine.whenPainted(() => redraw((n) => n + 1));
  }, [engine]);
  const corner = (sides: readonly (0 | 1)[]): { x: number; y: number } =>
    engine.project([0, 1, 2].map((k) => (sides[k] ? box.max : box.min)[k]) as [number, number, number]);
  const pull = (e: PointerEvent): void => {
    const d = drag.current;
    if (!d) return;
    const moved = draggedSide(d.box, d.face, [e.clientX - d.at[0], e.clientY - d.at[1]], (p) => engine.project(p));
    dispatch(boxChanged(sideMoved(d.box, d.face, moved)));
  };
  return (
    <svg
      className="pointer-events-none absolute inset-0 h-full w-full overflow-hidden"
      role="group"
      aria-label="Crop box"
    >
      {EDGES.map(([a, b], k) => {
        const [p, q] = [corner(a), corner(b)];
        return <line key={k} x1={p.x} y1={p.y} x2={q.x} y2={q.y} stroke="var(--teal)" strokeWidth={1.5} />;
      })}
      {FACES.map((face) => {
        const { x, y } = engine.project(face.middleOf(box));
        const value = box[face.end][face.axis];
        return (
          <g
            key={face.name}
            role="slider"
            tabIndex={0}
            aria-label={face.name}
            aria-valuenow={Number(value.toFixed(1))}
            aria-valuetext={`${value.toFixed(1)} mm`}
            transform={`translate(${x} ${y})`}
            className="pointer-events-auto cursor-grab touch-none outline-none [&:focus-visible>circle]:[stroke-width:4]"
            onPointerDown={(e) => {
              e.currentTarget.setPointerCapture(e.pointerId);
              drag.current = { face, at: [e.clientX, e.clientY], box };
            }}
            onPointerMove={pull}
            onPointerUp={() => (drag.current = null)}
            onPointerCancel={() => (drag.current = null)}
            onKeyDown={(e) => {
              const by = KEYS[e.key];
              if (by === undefined) return;
              e.preventDefault();
              dispatch(boxChanged(sideMoved(box, face, value + by * STEP * (e.shiftKey ? 10 : 1))));
            }}
          >
            <title>{`${face.name}: ${value.toFixed(1)} mm`}</title>
            <circle r={14} fill="transparent" stroke="none" />
            <circle r={9} fill="var(--panel)" stroke="var(--teal)" strokeWidth={2} />
            <text y={4} textAnchor="middle" fontSize={12} fill="var(--ink)" aria-hidden>
              {'xyz'[face.axis]}
            </text>
          </g>
        );
      })}
    </svg>
  );
}
