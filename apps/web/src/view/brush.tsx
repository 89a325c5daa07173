import type { PointerEvent } from 'react';
import type { Pick } from './view-content';
import type { ViewEngine } from './view-engine';

/** A spot of the view, pixels from its upper left. */
export type Spot = [x: number, y: number];

/** Where the pointer leaps, places in between are looked for at most so often. */
const MOST_BETWEEN = 12;
const BETWEEN_PIXELS = 6;

/**
 * Visits the places of the surface from where the pointer was last to where it is, so that fast strokes have no gaps.
 * @returns what lies under the pointer now
 */
export function placesOnTheWay(
  engine: { pick: ViewEngine['pick'] },
  from: Spot,
  to: { clientX: number; clientY: number },
  visit: (found: Pick) => void,
): Pick | undefined {
  const [x0, y0] = from;
  const way = Math.hypot(to.clientX - x0, to.clientY - y0);
  const steps = Math.max(1, Math.min(MOST_BETWEEN, Math.ceil(way / BETWEEN_PIXELS)));
  let found: Pick | undefined;
  for (let i = 1; i <= steps; i++) {
    found = engine.pick(x0 + ((to.clientX - x0) * i) / steps, y0 + ((to.clientY - y0) * i) / steps);
    if (found) visit(found);
  }
  return found;
}

/** The brush is seen on dark and on light. */
const RING = [
  { stroke: '#26221c', strokeWidth: 3, opacity: 0.5 },
  { stroke: '#ffffff', strokeWidth: 1.5 },
];

/** The brush on the surface, as an outline over the view. */
export function BrushRing({ spot: [x, y], pixels }: { spot: Spot; pixels: number }) {
  return RING.map((stroke) => <circle key={stroke.stroke} cx={x} cy={y} r={pixels} fill="none" {...stroke} />);
}

/** How hard a pen presses, 0–1; a mouse or a finger fully. */
export const pressureOf = (e: PointerEvent): number => (e.pointerType === 'pen' ? e.pressure : 1);

/** What a tool that is used in the view says there: what to do, what it is doing, or what went wrong. */
export function ToolHint({ words, failed, ended }: { words: string; failed: boolean; ended: boolean }) {
  return (
    <div
      role="status"
      className={`absolute bottom-3 left-3 max-w-lg rounded-lg border bg-panel px-3 py-2 ${failed ? 'border-brick text-brick' : 'border-line'}`}
    >
      {words} {ended && <span className="text-muted">The right button turns. Escape ends it.</span>}
    </div>
  );
}
