import { useEffect } from 'react';
import { X } from 'lucide-react';
import type { PieceView } from '@amber-knit/contracts';
import { transformPoint, type Vec3 } from '@amber-knit/core/math';
import { fitPairs } from '@amber-knit/core/registration';
import { api, problemText } from '../../api/api';
import { byHandBegun, pairRemoved, refineToggled, type PickedPlaces } from '../../app/by-hand-slice';
import { useAppDispatch, useAppSelector } from '../../app/store';
import { Button, Notice } from '../../shared/controls';
import { hasPlace } from '../view/piece-content';
import { warningText } from './pair-words';

const SELECT = 'min-w-0 rounded-lg border border-[var(--field)] bg-panel px-2 py-1';

/** Placing a scan by picking the same places in it and in scans that stay. */
export function ByHandPanel({ piece, busy }: { piece: PieceView; busy: boolean }) {
  const { moving, onto, pairs, refine } = useAppSelector((s) => s.byHand);
  const dispatch = useAppDispatch();
  const [run, { error, isLoading, reset }] = api.useRunOperationMutation();
  const scan = piece.scanList.find((s) => s.id === moving);
  // Other pieces, and scans that are gone, are not placed here.
  const gone = moving !== null && !scan;
  useEffect(() => {
    if (gone) dispatch(byHandBegun(null));
  }, [gone, dispatch]);
  useEffect(() => () => void dispatch(byHandBegun(null)), [dispatch]);

  const placedOthers = (id: string): boolean => piece.scanList.some((s) => s.id !== id && hasPlace(s));
  const begin = (id: string): void => {
    reset();
    const first = piece.scanList.find((s) => s.id !== id)!;
    dispatch(byHandBegun({ moving: id, onto: placedOthers(id) ? 'placed' : first.id }));
  };
  if (piece.scans < 2) return null;
  if (!scan) {
    const loose = piece.scanList.find((s) => !hasPlace(s)) ?? piece.scanList[piece.scanList.length - 1];
    return (
      <section aria-label="Place by hand" className="border-b border-line py-3">
        <h3 className="m-0 text-sm font-semibold">Place by hand</h3>
        <p className="mb-2 mt-1 text-muted">
          Where a scan finds no place by itself: pick the same places in it and in the others.
        </p>
        <Button onClick={() => begin(loose.id)} disabled={busy}>
          Place a scan by hand
        </Button>
      </section>
    );
  }

  const whole = pairs.flatMap((p) => (isWhole(p) ? [p] : []));
  const placeOf = new Map(piece.scanList.map((s) => [s.name, Float64Array.from(s.placement.pieceFromScan)]));
  const fit = fitPairs(
    whole.map(({ from, onto: o }) => ({ from, onto: transformPoint(placeOf.get(o.scan)!, ...(o.point as Vec3)) })),
    Number(scan.cloud.facts.diagonal) || 1,
  );
  const place = async (): Promise<void> => {
    const params = {
      scan: scan.name,
      pairs: whole.map(({ from, onto: o }) => ({ from, scan: o.scan, onto: o.point })),
      refine,
    };
    const result = await run({ pieceId: piece.id, operationId: 'register.pairs', params });
    if (!('error' in result)) dispatch(byHandBegun(null));
  };
  return (
    <section aria-label="Place by hand" className="border-b border-line py-3">
      <h3 className="m-0 text-sm font-semibold">Place by hand</h3>
      <div className="mt-1.5 flex flex-col gap-1.5">
        <label className="grid grid-cols-[4rem_1fr] items-center gap-2">
          Moves
          <select className={SELECT} value={scan.id} onChange={(e) => begin(e.target.value)}>
            {piece.scanList.map((s) => (
              <option key={s.id} value={s.id}>
                {s.name}
              </option>
            ))}
          </select>
        </label>
        <label className="grid grid-cols-[4rem_1fr] items-center gap-2">
          Stays
          <select
            className={SELECT}
            value={onto}
            onChange={(e) => dispatch(byHandBegun({ moving: scan.id, onto: e.target.value }))}
          >
            {placedOthers(scan.id) && <option value="placed">all that have a place</option>}
            {piece.scanList
              .filter((s) => s.id !== scan.id && (hasPlace(s) || !placedOthers(scan.id)))
              .map((s) => (
                <option key={s.id} value={s.id}>
                  {s.name}
                </option>
              ))}
          </select>
        </label>
        <p className="m-0 text-muted">Click the same place in both views, one pair after the other: three at least.</p>
        <ol className="m-0 flex list-none flex-col gap-1 p-0" aria-label="Pairs">
          {pairs.map((p, k) => {
            const at = whole.indexOf(p as (typeof whole)[number]);
            const odd = fit.warnings.some((w) => w.kind === 'pair' && w.index === at);
            return (
              <li key={k} className={`flex items-center gap-2 rounded-lg px-2 ${odd ? 'bg-brick-soft' : 'bg-sunk'}`}>
                <b className="num w-5">{k + 1}</b>
                <span className="num flex-1">
                  {at < 0
                    ? p.from
                      ? 'pick it on the right'
                      : 'pick it on the left'
                    : whole.length < 3
                      ? 'picked'
                      : `${fit.errors[at].toFixed(2)} mm off`}
                </span>
                <Button
                  tone="quiet"
                  className="px-1.5!"
                  aria-label={`Remove pair ${k + 1}`}
                  onClick={() => dispatch(pairRemoved(k))}
                >
                  <X size={14} />
                </Button>
              </li>
            );
          })}
        </ol>
        {fit.warnings.map((w) => (
          <p key={w.kind} className={`m-0 ${w.kind === 'few' ? 'text-muted' : 'text-brick'}`}>
            {warningText(renumbered(w, whole, pairs))}
          </p>
        ))}
        <label className="flex items-center gap-2">
          <input
            type="checkbox"
            checked={refine}
            onChange={() => dispatch(refineToggled())}
            className="h-4.5 w-4.5 accent-[var(--amber)]"
          />
          Then fit all together finely
        </label>
        {error && <Notice tone="error">{problemText(error)}</Notice>}
        <div className="flex gap-1">
          <Button
            tone="go"
            className="flex-1"
            disabled={whole.length < 3 || busy || isLoading}
            onClick={() => void place()}
          >
            Place it
          </Button>
          <Button onClick={() => dispatch(byHandBegun(null))}>Leave it</Button>
        </div>
      </div>
    </section>
  );
}

type WholePair = Required<PickedPlaces>;
const isWhole = (p: PickedPlaces): p is WholePair => p.from !== undefined && p.onto !== undefined;

/** A warning that counts whole pairs, counting as the list does. */
function renumbered<W extends { kind: string }>(w: W, whole: WholePair[], pairs: PickedPlaces[]): W {
  return 'index' in w ? { ...w, index: pairs.indexOf(whole[w.index as number]) } : w;
}
