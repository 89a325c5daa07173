import { useEffect, useMemo, useRef, useState } from 'react';
import { Plus } from 'lucide-react';
import type { PieceView } from '@amber-knit/contracts';
import { placePicked } from '../../../app/by-hand-slice';
import { useAppDispatch, useAppSelector } from '../../../app/store';
import { ViewEngine } from '../../../view/view-engine';
import type { LinkedOrbits } from './linked-orbits';
import { inScan, inView, scansOfSide } from './by-hand-content';

/** Width of the magnifier, pixels of the page. */
const LENS = 150;

/** One of the two views in which the same places are picked. */
export function PairView({
  piece,
  side,
  title,
  orbits,
}: {
  piece: PieceView;
  side: 'from' | 'onto';
  title: string;
  /** The other view turns with this one. */
  orbits: LinkedOrbits;
}) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const engine = useRef<ViewEngine | null>(null);
  const { moving, onto, pairs } = useAppSelector((s) => s.byHand);
  const dispatch = useAppDispatch();
  const pressed = useRef<[number, number]>([0, 0]);
  const [labels, setLabels] = useState<{ n: number; x: number; y: number }[]>([]);
  const [lens, setLens] = useState(false);
  const items = useMemo(() => scansOfSide(piece, moving ?? '', onto, side), [piece, moving, onto, side]);

  const marks = useMemo(
    () =>
      pairs.flatMap((p, k) => {
        const scan = piece.scanList.find((s) => (side === 'from' ? s.id === moving : s.name === p.onto?.scan));
        const point = side === 'from' ? p.from : p.onto?.point;
        return scan && point ? [{ n: k + 1, point: inView(scan, side, point) }] : [];
      }),
    [pairs, piece, moving, side],
  );
  const placed = useRef(marks);
  placed.current = marks;

  useEffect(() => {
    const e = new ViewEngine(canvas.current!);
    const place = (): void => setLabels(placed.current.map(({ n, point }) => ({ n, ...e.project(point) })));
    e.whenPainted(place);
    engine.current = e;
    const leave = orbits.join(e);
    return () => {
      leave();
      engine.current = null;
      e.dispose();
    };
  }, [orbits]);
  useEffect(() => engine.current?.show({ clouds: items }), [items]);
  useEffect(() => engine.current?.draw(), [marks]);

  const pickAt = (x: number, y: number): void => {
    const found = engine.current?.pick(x, y);
    const scan = piece.scanList.find((s) => s.id === found?.scanId);
    if (!found || !scan) return;
    const point = inScan(scan, side, found.point);
    dispatch(placePicked(side === 'from' ? { from: point } : { onto: { scan: scan.name, point } }));
  };

  return (
    <section
      aria-label={title}
      className="relative min-h-0 min-w-0 flex-1 overflow-hidden"
      style={{ background: 'linear-gradient(var(--view-top), var(--view-bottom))' }}
    >
      <canvas
        ref={canvas}
        tabIndex={0}
        className="peer absolute inset-0 block h-full w-full cursor-crosshair touch-none"
        aria-label={`${title}. Click, or Enter in the middle, picks a place. Arrow keys turn, plus and minus zoom, F fits, 1 to 6 are standard views.`}
        onKeyDown={(e) => {
          if (e.key === 'Enter') {
            const r = canvas.current!.getBoundingClientRect();
            pickAt(r.left + r.width / 2, r.top + r.height / 2);
          } else if (!engine.current?.key(e.key, e.shiftKey)) return;
          e.preventDefault();
        }}
        onPointerDown={(e) => (pressed.current = [e.clientX, e.clientY])}
        onPointerMove={(e) => {
          engine.current?.setLens(e.buttons === 0 ? [e.clientX, e.clientY] : null, LENS);
          setLens(e.buttons === 0);
        }}
        onPointerLeave={() => {
          engine.current?.setLens(null, LENS);
          setLens(false);
        }}
        onPointerUp={(e) => {
          const still = Math.hypot(e.clientX - pressed.current[0], e.clientY - pressed.current[1]) < 4;
          if (still && e.button === 0) pickAt(e.clientX, e.clientY);
        }}
      />
      <Plus
        aria-hidden
        className="pointer-events-none absolute left-1/2 top-1/2 hidden -translate-1/2 text-amber peer-focus-visible:block"
      />
      {labels.map(({ n, x, y }) => (
        <span
          key={n}
          className="num pointer-events-none absolute flex h-5 min-w-5 -translate-1/2 items-center justify-center rounded-full border-2 border-panel bg-teal px-1 text-[11px] font-semibold text-panel"
          style={{ left: x, top: y }}
        >
          {n}
        </span>
      ))}
      {lens && (
        <div
          aria-hidden
          className="pointer-events-none absolute bottom-3 right-3 flex items-center justify-center border-2 border-amber"
          style={{ width: LENS, height: LENS }}
        >
          <Plus size={18} className="text-brick drop-shadow-[0_0_1px_white]" />
        </div>
      )}
      <h3 className="pointer-events-none absolute left-3 top-3 m-0 rounded-lg border border-line bg-panel px-3 py-1 text-sm font-semibold">
        {title}
      </h3>
    </section>
  );
}
