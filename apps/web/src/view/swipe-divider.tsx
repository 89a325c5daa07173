import { useRef } from 'react';
import { ChevronsLeftRight, X } from 'lucide-react';

/** Share of the view that an arrow key moves the divider by. */
const STEP = 0.02;

/** The line between two states of the piece, dragged over the view: one shows to its left, the other to its right. */
export function SwipeDivider({
  at,
  left,
  right,
  onMove,
  onEnd,
}: {
  /** Share of the view's width to its left. */
  at: number;
  left: string;
  right: string;
  onMove: (at: number) => void;
  onEnd: () => void;
}) {
  const box = useRef<HTMLDivElement>(null);
  const move = (to: number): void => onMove(Math.min(1, Math.max(0, to)));
  const drag = (clientX: number): void => {
    const { left: from, width } = box.current!.getBoundingClientRect();
    move((clientX - from) / width);
  };
  const percent = `${100 * at}%`;
  const keys: Record<string, number | undefined> = {
    ArrowLeft: at - STEP,
    ArrowRight: at + STEP,
    Home: 0,
    End: 1,
  };
  const LABEL = 'pointer-events-none absolute bottom-3 max-w-[45%] truncate rounded-lg bg-panel px-2.5 py-1 border';
  return (
    <div ref={box} className="pointer-events-none absolute inset-0" aria-label="Comparing" role="group">
      <span className={`${LABEL} border-brick`} style={{ right: `calc(${100 - 100 * at}% + 1.6rem)` }}>
        {left}
      </span>
      <span className={`${LABEL} border-teal`} style={{ left: `calc(${percent} + 1.6rem)` }}>
        {right}
      </span>
      <div
        role="slider"
        tabIndex={0}
        aria-label={`Divider: left of it ${left}, right of it ${right}`}
        aria-valuemin={0}
        aria-valuemax={100}
        aria-valuenow={Math.round(100 * at)}
        aria-valuetext={`${Math.round(100 * at)} % ${left}`}
        className="pointer-events-auto absolute inset-y-0 flex w-11 -translate-x-1/2 cursor-ew-resize touch-none items-center justify-center"
        style={{ left: percent }}
        onPointerDown={(e) => {
          e.currentTarget.setPointerCapture(e.pointerId);
          drag(e.clientX);
        }}
        onPointerMove={(e) => e.currentTarget.hasPointerCapture(e.pointerId) && drag(e.clientX)}
        onKeyDown={(e) => {
          const to = keys[e.key];
          if (to !== undefined) move(to);
          else if (e.key === 'Escape') onEnd();
          else return;
          e.preventDefault();
        }}
      >
        <span aria-hidden className="absolute inset-y-0 left-1/2 w-0.5 -translate-x-1/2 bg-ink" />
        <span
          aria-hidden
          className="relative flex h-8 w-8 items-center justify-center rounded-full border-2 border-ink bg-panel"
        >
          <ChevronsLeftRight size={17} />
        </span>
      </div>
      <button
        type="button"
        onClick={onEnd}
        className="pointer-events-auto absolute right-3 top-3 flex items-center gap-1.5 rounded-lg border border-line bg-panel px-2.5 py-1 text-ink hover:bg-sunk"
      >
        <X size={15} aria-hidden /> End comparing
      </button>
    </div>
  );
}
