import { useEffect, useState } from 'react';
import { CircleCheck, TriangleAlert } from 'lucide-react';
import type { PieceView, ScanView, StepView } from '@amber-knit/contracts';
import { fromTranslation, identity, turnAbout } from '@amber-knit/core/math';
import type { Freedom } from '@amber-knit/core/registration';
import { useAppDispatch } from '../../../app/store';
import { placeTried } from '../../../app/view-slice';
import { strandColor } from '../../../shared/strand-colors';
import { Fold } from '../../../shared/fold';
import { hasPlace } from '../../../view/piece-content';
import { ConvergenceCurve } from './convergence-curve';
import { HoldGlyph } from './hold-glyph';
import { convergenceOf, freedomWords, lastFit, loosestOf, verdictOf } from './hold-words';
import { PairMatrix } from './pair-matrix';

/** Whether the scans hold together: a verdict with its reasons, every pair, every scan's slack, how the fit came to rest. */
export function HoldPanel({ piece, steps }: { piece: PieceView; steps: readonly StepView[] }) {
  const dispatch = useAppDispatch();
  const [rocked, setRocked] = useState<string | null>(null);
  const [pair, setPair] = useState<[string, string] | null>(null);
  const last = lastFit(piece, steps);
  const verdict = verdictOf(piece, last);
  const placed = piece.scanList.filter(hasPlace);
  const held = placed
    .flatMap((scan) => {
      const freedom = loosestOf(scan);
      return freedom ? [{ scan, freedom }] : [];
    })
    .sort((a, b) => b.freedom.sigma - a.freedom.sigma);
  useRocking(held.find(({ scan }) => scan.name === rocked));
  useEffect(() => {
    if (!pair) return;
    dispatch(placeTried({ scans: pair, pieceFromPiece: Array.from(identity()) }));
    return () => void dispatch(placeTried(null));
  }, [dispatch, pair]);

  if (!verdict) return null;
  const moved = convergenceOf(last);
  return (
    <section aria-label="How they hold together" className="border-b border-line py-3">
      <h3 className="m-0 text-sm font-semibold">How they hold together</h3>
      <div className="mt-1 flex gap-2 rounded-lg bg-sunk px-2.5 py-2">
        {verdict.good ? (
          <CircleCheck size={18} className="mt-0.5 shrink-0 text-teal" aria-hidden />
        ) : (
          <TriangleAlert size={18} className="mt-0.5 shrink-0 text-amber" aria-hidden />
        )}
        <div className="min-w-0">
          <b>{verdict.title}</b>
          {verdict.reasons.map((r) => (
            <p key={r} className="m-0">
              {r}
            </p>
          ))}
        </div>
      </div>
      {placed.some((s) => s.placement.neighbours) && (
        <Fold title="Pairs">
          <PairMatrix
            piece={piece}
            onPick={(scans) => {
              setRocked(null);
              setPair(pair?.join() === scans.join() ? null : scans);
            }}
          />
        </Fold>
      )}
      {held.length > 0 && (
        <Fold title="What holds each scan">
          <p className="m-0 text-muted">
            How far each could still be off in its loosest direction (one standard deviation), by the surfaces that hold
            it. Press one to see it rock, many times as far.
          </p>
          <ul className="m-0 flex list-none flex-col gap-0.5 p-0">
            {held.map(({ scan, freedom }) => (
              <li key={scan.id}>
                <button
                  type="button"
                  aria-pressed={rocked === scan.name}
                  disabled={freedom.sigma === 0}
                  onClick={() => {
                    setPair(null);
                    setRocked(rocked === scan.name ? null : scan.name);
                  }}
                  className="flex w-full items-center gap-2 rounded-md border border-transparent bg-transparent px-1 py-0.5 text-left enabled:hover:bg-sunk aria-pressed:border-amber"
                >
                  <span
                    aria-hidden
                    className="h-2.5 w-2.5 shrink-0 rounded-full"
                    style={{ background: strandColor(scan.colorIndex) }}
                  />
                  <HoldGlyph freedom={freedom} />
                  <span className="min-w-0 flex-1">
                    <span className="block truncate">{scan.name}</span>
                    <span className="num block text-[0.88em] text-muted">{freedomWords(freedom)}</span>
                  </span>
                </button>
              </li>
            ))}
          </ul>
        </Fold>
      )}
      {moved.length > 1 && (
        <Fold title="How the fit came to rest">
          <ConvergenceCurve moved={moved} />
        </Fold>
      )}
    </section>
  );
}

/** How far a scan is rocked, as a share of its size, and how often a second. */
const SWING = 0.04;
const BEATS = 0.7;

/** Moves one scan to and fro in the view along its loosest motion; nothing is changed. */
function useRocking(held: { scan: ScanView; freedom: Freedom } | undefined): void {
  const dispatch = useAppDispatch();
  const name = held?.scan.name;
  useEffect(() => {
    if (!held) return;
    const { scan, freedom } = held;
    const reach = SWING * scan.placement.uncertainty!.radius;
    const show = (share: number): void => {
      const { direction, at, kind, sigma, angle } = freedom;
      const motion =
        kind === 'slide'
          ? fromTranslation(...(direction.map((v) => v * share * reach) as [number, number, number]))
          : turnAbout({ point: at, direction }, (share * reach * angle) / sigma);
      dispatch(placeTried({ scans: [scan.name], pieceFromPiece: Array.from(motion) }));
    };
    const still = window.matchMedia('(prefers-reduced-motion: reduce)').matches;
    const begun = performance.now();
    show(still ? 1 : 0);
    const timer = still
      ? 0
      : window.setInterval(() => show(Math.sin(((performance.now() - begun) / 1000) * 2 * Math.PI * BEATS)), 60);
    return () => {
      window.clearInterval(timer);
      dispatch(placeTried(null));
    };
    // Rocking goes on while the piece is fetched anew.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [dispatch, name]);
}
