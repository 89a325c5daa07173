import { useEffect, useRef } from 'react';
import { invertRigid, transformPoint, type Vec3 } from '@amber-knit/core/math';
import { lengthText } from '@amber-knit/operations/quantity-text';
import { useStore } from '../../../shared/store';
import { DimensionLabels, type LabelledLines } from '../../../view/dimension-labels';
import { useViewInput, type OverlayProps } from '../../../view/view-overlay';
import { clashColors, clashTint } from './clash-colors';
import { MotionHandles } from './motion-handles';
import { placingDesk } from './placing-desk';
import { STATE_WORDS } from './placing-words';

/** A click moves the pointer less than this, pixels. */
const STILL = 4;
const HINTS = {
  move: 'Drag a letter to move, a square to turn, the ring to shift. Arrow keys move the handle that has the focus.',
  'set-down': 'Click the place that the piece is to stand on.',
  'lay-on': 'Click a face of the piece, then the face that it is to lie on.',
  picked: 'Now click the face of the surroundings.',
} as const;

/** The piece in its surroundings: both shown, handles to move it, and how much room there is. */
export function PlacingOverlay({ piece, engine, inputs }: OverlayProps) {
  const { open, motion, tool, picked, live, fresh, depths, seeThrough } = useStore(placingDesk);
  const pressed = useRef<[number, number]>([0, 0]);
  // Another surface, or other surroundings, than those that are shown together: what is moved is no longer theirs.
  const gone = open !== null && (open.piece !== piece.mesh?.id || open.scene !== piece.surroundings?.id);
  useEffect(() => {
    if (gone) placingDesk.end();
  }, [gone]);
  useEffect(() => engine.around.show(open?.scene, motion), [engine, open, motion]);
  useEffect(() => engine.around.seeThrough(seeThrough), [engine, open, seeThrough]);
  useEffect(() => () => engine.around.show(undefined, null), [engine]);
  useEffect(() => {
    if (!depths) return undefined;
    engine.paintSurface((_known, vertices) => (depths.length === vertices ? clashColors(depths) : undefined));
    return () => engine.paintSurface(undefined);
  }, [engine, depths]);
  useViewInput(inputs, {
    onPointerDown: (e) => void (pressed.current = [e.clientX, e.clientY]),
    onPointerUp: (e) => {
      const still = Math.hypot(e.clientX - pressed.current[0], e.clientY - pressed.current[1]) < STILL;
      if (!open || !motion || !still || tool === 'move') return;
      if (tool === 'lay-on' && !picked) {
        const on = engine.pick(e.clientX, e.clientY);
        if (on) placingDesk.clickedPiece(transformPoint(invertRigid(Float64Array.from(motion)), ...on.point));
        return;
      }
      const on = engine.pickAround(e.clientX, e.clientY);
      if (on) void placingDesk.clickedScene(on.point);
    },
    cancel: () => placingDesk.withdraw(),
  });
  if (!open) return null;
  const rows: LabelledLines[] = [];
  if (live?.state === 'clash' && live.clash)
    rows.push({
      text: `${lengthText(live.clash.depth)} deep`,
      title: 'Clash',
      label: live.clash.at,
      lines: [],
      unsure: !fresh,
    });
  else if (live?.state === 'clear') {
    const { onPiece: a, onScene: b, distance } = live.clearance;
    const label = a.map((c, k) => (c + b[k]) / 2) as Vec3;
    rows.push({ text: lengthText(distance), title: 'Clearance', label, lines: [[...a, ...b]], unsure: !fresh });
  }
  const most = depths ? depths.reduce((m, d) => Math.max(m, d), 0) : 0;
  return (
    <>
      <DimensionLabels engine={engine} rows={rows} selected={null} onSelect={() => undefined} passive />
      <MotionHandles engine={engine} />
      <div
        role="status"
        className="absolute bottom-3 left-3 max-w-[70%] rounded-lg border border-line bg-panel px-3 py-2"
      >
        <b>{live ? STATE_WORDS[live.state] : 'Setting up …'}</b>{' '}
        <span className="text-muted">{HINTS[picked ? 'picked' : tool]}</span>
      </div>
      {most > 0 && (
        <figure
          aria-label="Depth of the clash"
          className="num absolute bottom-3 right-3 m-0 rounded-lg border border-line bg-panel px-3 py-2"
        >
          <div
            className="h-3 w-40 rounded"
            style={{
              background: `linear-gradient(to right, ${[0, 0.25, 0.5, 0.75, 1].map((s) => clashTint(s)).join(', ')})`,
            }}
          />
          <figcaption className="mt-1 flex justify-between">
            <span>0</span>
            <span>{lengthText(most)} deep</span>
          </figcaption>
        </figure>
      )}
    </>
  );
}
