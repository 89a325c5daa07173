import { useEffect, useMemo, useRef, useState } from 'react';
import type { PieceView } from '@amber-knit/contracts';
import {
  invertRigid,
  multiply,
  orthonormalized,
  transformPoint,
  transformPoints,
  type Mat4,
} from '@amber-knit/core/math';
import { scanMoved, type Grip } from '../../../app/by-hand-slice';
import { useAppDispatch, useAppSelector } from '../../../app/store';
import { useCloudSamples } from '../agreement/cloud-samples';
import type { CloudItem } from '../../../view/view-content';
import { ViewEngine } from '../../../view/view-engine';
import { hasPlace } from '../../../view/piece-content';
import { laidBeside, scansOfSide, spanOf, viewFromPiece } from './by-hand-content';
import { dragMotion, keyDrag } from './drag-motion';
import { SnapClient } from './snap-client';

/** A key pressed again within this time goes on with the same move, ms. */
const KEY_REST = 400;

/** One view of all: the scan is seized, moved and turned, and snaps onto those that stay. */
export function SeizeView({ piece }: { piece: PieceView }) {
  const { moving, onto, grip, snap, pose } = useAppSelector((s) => s.byHand);
  const dispatch = useAppDispatch();
  const canvas = useRef<HTMLCanvasElement>(null);
  const engine = useRef<ViewEngine | null>(null);
  const samples = useCloudSamples(piece);
  const [held, setHeld] = useState(false);
  const scan = piece.scanList.find((s) => s.id === moving)!;
  const staying = useMemo(() => scansOfSide(piece, moving!, onto, 'onto'), [piece, moving, onto]);
  const own = useMemo(() => scansOfSide(piece, moving!, onto, 'from')[0], [piece, moving, onto]);
  const view = useMemo(() => Float64Array.from(viewFromPiece(piece, moving!)), [piece, moving]);
  const span = useMemo(() => {
    const sample = samples.get(moving!);
    return sample && spanOf(sample.positions);
  }, [samples, moving]);

  /** Where the scan begins: its place, or beside the others. */
  const first = useMemo((): Mat4 | undefined => {
    if (hasPlace(scan)) return Float64Array.from(scan.placement.pieceFromScan);
    const parts = staying.flatMap((c) => {
      const sample = samples.get(c.scanId);
      return sample ? [transformPoints(Float64Array.from(c.matrix), sample.positions)] : [];
    });
    if (!span || parts.length < staying.length) return undefined;
    const all = new Float32Array(parts.reduce((n, p) => n + p.length, 0));
    parts.reduce((at, p) => (all.set(p, at), at + p.length), 0);
    return multiply(invertRigid(view), laidBeside(span, spanOf(all)));
  }, [scan, staying, samples, span, view]);

  /** Where the hand holds it, and where it is shown: there, or where it has snapped to. */
  const hand = useRef<Mat4 | undefined>(undefined);
  const shown = useRef<{ pose: Mat4; snapped: { overlap: number; rms: number } | null } | undefined>(undefined);
  const settled = pose ? Float64Array.from(pose) : first;
  const show = (next: Mat4, snapped: { overlap: number; rms: number } | null): void => {
    shown.current = { pose: next, snapped };
    const matrix = Array.from(multiply(view, next));
    const items: CloudItem[] = [...staying, { ...own, matrix }];
    engine.current?.show({ clouds: items });
    if (canvas.current) canvas.current.dataset.snapped = snapped ? (100 * snapped.overlap).toFixed(0) : '';
  };
  const showNow = useRef(show);
  showNow.current = show;

  useEffect(() => {
    const e = new ViewEngine(canvas.current!);
    engine.current = e;
    e.setLook({ color: 'scan', lit: true, wireframe: false, edges: true, map: null });
    return () => {
      engine.current = null;
      e.dispose();
    };
  }, []);
  const settledKey = settled?.join();
  useEffect(() => {
    if (!settled) return;
    hand.current = settled;
    showNow.current(settled, null);
    // eslint-disable-next-line react-hooks/exhaustive-deps -- by its numbers, not its identity
  }, [settledKey, staying, own, view]);

  const pressed = useRef<[number, number] | null>(null);
  const letGo = (): void => {
    if (!shown.current) return;
    dispatch(scanMoved({ pose: Array.from(shown.current.pose), snapped: shown.current.snapped }));
  };
  const letGoNow = useRef(letGo);
  letGoNow.current = letGo;

  const client = useRef<SnapClient | null>(null);
  /** Moved, and nobody was there yet to ask what it snaps to. */
  const unasked = useRef(false);
  const ready = samples.has(moving!) && staying.every((c) => samples.has(c.scanId));
  useEffect(() => {
    if (!ready) return;
    const of = (id: string) => {
      const { positions, normals } = samples.get(id)!;
      return { positions, normals, viewpoints: [[0, 0, 0] as [number, number, number]] };
    };
    const pieceFromView = invertRigid(view);
    const scans = {
      moving: of(moving!),
      staying: staying.map((c) => ({
        ...of(c.scanId),
        pieceFromScan: multiply(pieceFromView, Float64Array.from(c.matrix)),
      })),
    };
    client.current = new SnapClient(scans, (found) => {
      if (found) showNow.current(found.pieceFromScan, { overlap: found.overlap, rms: found.rms });
      else if (hand.current) showNow.current(hand.current, null);
      // It was let go before the answer was there.
      if (!pressed.current) letGoNow.current();
    });
    // It was moved before what it snaps to was there.
    if (unasked.current && hand.current) client.current.ask(hand.current);
    unasked.current = false;
    return () => {
      client.current?.dispose();
      client.current = null;
    };
    // eslint-disable-next-line react-hooks/exhaustive-deps -- samples only grow
  }, [ready, moving, staying, view]);

  const drag = (by: Grip, dx: number, dy: number): void => {
    if (!hand.current || !span || !engine.current) return;
    const middle = transformPoint(multiply(view, hand.current), ...span.middle);
    const motion = dragMotion(by, dx, dy, engine.current.axesAt(middle), middle);
    hand.current = orthonormalized(multiply(multiply(multiply(invertRigid(view), motion), view), hand.current));
    // While it is snapped it stays so until the answer is there: it would jump to and fro otherwise.
    if (!snap || !shown.current?.snapped) show(hand.current, null);
    if (!snap) return;
    if (client.current) client.current.ask(hand.current);
    else unasked.current = true;
  };
  const resting = useRef(0);
  useEffect(() => () => clearTimeout(resting.current), []);
  const title = `Moves: ${scan.name}`;
  return (
    <section
      aria-label={title}
      className="relative min-h-0 min-w-0 flex-1 overflow-hidden"
      style={{ background: 'linear-gradient(var(--view-top), var(--view-bottom))' }}
    >
      <canvas
        ref={canvas}
        tabIndex={0}
        data-held={held || undefined}
        className={`absolute inset-0 block h-full w-full touch-none ${held ? 'cursor-grabbing' : 'cursor-grab'}`}
        aria-label={`${title}. Drag it to move it; with Shift to turn it, with Alt to turn it in the picture. Beside it the view turns. Arrow keys move it, F fits, 1 to 6 are standard views.`}
        onKeyDown={(e) => {
          const by = keyDrag(e.key);
          if (by) {
            drag(e.shiftKey ? 'turn' : e.altKey ? 'roll' : grip, ...by);
            clearTimeout(resting.current);
            resting.current = window.setTimeout(letGo, KEY_REST);
          } else if (!engine.current?.key(e.key, e.shiftKey)) return;
          e.preventDefault();
        }}
        onPointerDownCapture={(e) => {
          const seizes = e.button === 0 && engine.current?.pick(e.clientX, e.clientY)?.scanId === moving;
          // Before the view hears of it: what is seized does not turn the view.
          engine.current?.setDrawing(seizes);
          if (!seizes) return;
          pressed.current = [e.clientX, e.clientY];
          canvas.current!.setPointerCapture(e.pointerId);
          setHeld(true);
        }}
        onPointerMove={(e) => {
          if (!pressed.current) return;
          const [dx, dy] = [e.clientX - pressed.current[0], e.clientY - pressed.current[1]];
          pressed.current = [e.clientX, e.clientY];
          drag(e.shiftKey ? 'turn' : e.altKey ? 'roll' : grip, dx, dy);
        }}
        onPointerUp={() => {
          if (!pressed.current) return;
          pressed.current = null;
          setHeld(false);
          letGo();
        }}
        onPointerCancel={() => {
          pressed.current = null;
          setHeld(false);
        }}
      />
      <h3 className="pointer-events-none absolute left-3 top-3 m-0 rounded-lg border border-line bg-panel px-3 py-1 text-sm font-semibold">
        {title}
      </h3>
      {!settled && <p className="absolute left-3 top-12 m-0 text-muted">Loading …</p>}
    </section>
  );
}
