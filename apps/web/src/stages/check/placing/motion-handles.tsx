import { useEffect, useRef, useState, type KeyboardEvent, type PointerEvent } from 'react';
import { transformPoint, type Vec3 } from '@amber-knit/core/math';
import { useStore } from '../../../shared/store';
import type { ViewEngine } from '../../../view/view-engine';
import { pulledAlong, shiftedBy, turnedBy } from './motion-numbers';
import { placingDesk } from './placing-desk';

const NAMES = ['X', 'Y', 'Z'] as const;
/** Keys move by so many mm or turn by so many degrees; with Shift further. */
const KEYS: Record<string, number | undefined> = { ArrowLeft: -1, ArrowDown: -1, ArrowRight: 1, ArrowUp: 1 };
const FAR = { move: 10, turn: 15 } as const;
/** Size of the handles as a share of the piece's, and what they have at least in the picture, pixels. */
const [REACH, RING] = [1.3, 0.95];
const LEAST = 80;
const ARC = Array.from({ length: 17 }, (_, i) => ((10 + (70 * i) / 16) * Math.PI) / 180);

interface Handle {
  kind: 'move' | 'turn' | 'free';
  axis: number;
}

/** Handles that move the piece along the axes of its surroundings, turn it about them, or shift it across the picture. */
export function MotionHandles({ engine }: { engine: ViewEngine }) {
  const { motion, size } = useStore(placingDesk);
  const [, redraw] = useState(0);
  const drag = useRef<{ handle: Handle; at: [number, number]; motion: number[] } | null>(null);
  useEffect(() => engine.whenPainted(() => redraw((n) => n + 1)), [engine]);
  if (!motion || !size) return null;
  const middleOf = (m: readonly number[]): Vec3 => transformPoint(Float64Array.from(m), ...size.middle);
  const middle = middleOf(motion);
  const reach = Math.max(size.radius, (LEAST * engine.axesAt(middle).mmPerPixel) / REACH);
  const offset = (by: readonly number[], from = middle): { x: number; y: number } =>
    engine.project([from[0] + by[0], from[1] + by[1], from[2] + by[2]]);
  const along = (axis: number, length: number): number[] => [0, 1, 2].map((k) => (k === axis ? length : 0));
  /** A place on the ring about an axis. */
  const onRing = (axis: number, angle: number): number[] => {
    const [u, v] = [(axis + 1) % 3, (axis + 2) % 3];
    return [0, 1, 2].map((k) => RING * reach * (k === u ? Math.cos(angle) : k === v ? Math.sin(angle) : 0));
  };
  const pull = (e: PointerEvent): void => {
    const d = drag.current;
    if (!d) return;
    const by = [e.clientX - d.at[0], e.clientY - d.at[1]] as const;
    const start = middleOf(d.motion);
    const origin = engine.project(start);
    const { kind, axis } = d.handle;
    if (kind === 'free') {
      const { right, up, mmPerPixel } = engine.axesAt(start);
      const moved = [0, 1, 2].reduce(
        (m, k) => shiftedBy(m, k, (by[0] * right[k] - by[1] * up[k]) * mmPerPixel),
        d.motion,
      );
      placingDesk.drag(moved);
    } else if (kind === 'move') {
      const tip = offset(along(axis, reach), start);
      const step = { x: (tip.x - origin.x) / reach, y: (tip.y - origin.y) / reach };
      placingDesk.drag(shiftedBy(d.motion, axis, pulledAlong(step, by)));
    } else {
      const angle = Math.PI / 4;
      const [a, b] = [angle - 0.05, angle + 0.05].map((t) => offset(onRing(axis, t), start));
      const step = { x: (b.x - a.x) / 0.1, y: (b.y - a.y) / 0.1 };
      placingDesk.drag(turnedBy(d.motion, axis, (pulledAlong(step, by) * 180) / Math.PI, size.middle));
    }
  };
  const events = (handle: Handle) => ({
    onPointerDown: (e: PointerEvent): void => {
      e.stopPropagation();
      (e.currentTarget as Element).setPointerCapture(e.pointerId);
      placingDesk.grab();
      drag.current = { handle, at: [e.clientX, e.clientY], motion };
    },
    onPointerMove: pull,
    onPointerUp: () => void (drag.current = null),
    onPointerCancel: () => void (drag.current = null),
    onKeyDown: (e: KeyboardEvent): void => {
      const sign = KEYS[e.key];
      if (sign === undefined || handle.kind === 'free') return;
      e.preventDefault();
      const by = sign * (e.shiftKey ? FAR[handle.kind] : 1);
      if (handle.kind === 'move') placingDesk.shift(handle.axis, by);
      else placingDesk.turn(handle.axis, by);
    },
  });
  const at = engine.project(middle);
  return (
    <svg
      className="pointer-events-none absolute inset-0 h-full w-full overflow-hidden"
      role="group"
      aria-label="Handles of the piece"
    >
      {NAMES.map((name, axis) => {
        const tip = offset(along(axis, REACH * reach));
        const knob = offset(onRing(axis, Math.PI / 4));
        const arc = ARC.map((t) => offset(onRing(axis, t)));
        return (
          <g key={name} stroke="var(--teal)">
            <line x1={at.x} y1={at.y} x2={tip.x} y2={tip.y} strokeWidth={2} />
            <polyline
              points={arc.map((p) => `${p.x},${p.y}`).join(' ')}
              fill="none"
              strokeWidth={2}
              strokeDasharray="3 3"
            />
            <g
              tabIndex={0}
              role="button"
              aria-label={`Move along ${name}: drag, or arrow keys`}
              className="pointer-events-auto cursor-grab"
              {...events({ kind: 'move', axis })}
            >
              <circle cx={tip.x} cy={tip.y} r={22} fill="transparent" stroke="none" />
              <circle cx={tip.x} cy={tip.y} r={12} fill="var(--panel)" strokeWidth={2} />
              <text x={tip.x} y={tip.y + 4.5} textAnchor="middle" fontSize={13} fill="var(--ink)" stroke="none">
                {name}
              </text>
            </g>
            <g
              tabIndex={0}
              role="button"
              aria-label={`Turn about ${name}: drag, or arrow keys`}
              className="pointer-events-auto cursor-grab"
              {...events({ kind: 'turn', axis })}
            >
              <circle cx={knob.x} cy={knob.y} r={18} fill="transparent" stroke="none" />
              <rect
                x={knob.x - 8}
                y={knob.y - 8}
                width={16}
                height={16}
                rx={4}
                fill="var(--teal-soft)"
                strokeWidth={2}
                transform={`rotate(45 ${knob.x} ${knob.y})`}
              />
              <text x={knob.x} y={knob.y + 4} textAnchor="middle" fontSize={11} fill="var(--ink)" stroke="none">
                {name}
              </text>
            </g>
          </g>
        );
      })}
      <circle
        cx={at.x}
        cy={at.y}
        r={14}
        fill="var(--panel)"
        fillOpacity={0.75}
        stroke="var(--teal)"
        strokeWidth={2}
        role="button"
        aria-label="Move across the picture: drag"
        className="pointer-events-auto cursor-move"
        {...events({ kind: 'free', axis: 0 })}
      />
    </svg>
  );
}
