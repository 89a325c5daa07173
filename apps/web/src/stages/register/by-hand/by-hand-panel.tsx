import { useEffect } from 'react';
import { OPERATION_IDS } from '@amber-knit/operations/operation-ids';
import type { PieceView } from '@amber-knit/contracts';
import { transformPoint, type Vec3 } from '@amber-knit/core/math';
import { fitPairs } from '@amber-knit/core/registration';
import { api, problemText } from '../../../api/api';
import { byHandBegun, methodChosen, picksScaled, refineToggled } from '../../../app/by-hand-slice';
import { useAppDispatch, useAppSelector } from '../../../app/store';
import { Button, Check, Notice } from '../../../shared/controls';
import { hasPlace } from '../../../view/piece-content';
import { MovingForm, PRESSED } from './moving-form';
import { isWhole, PickingForm } from './picking-form';

const METHODS = [
  ['picking', 'Pick places'],
  ['moving', 'Move it'],
] as const;
const SELECT = 'min-w-0 rounded-lg border border-[var(--field)] bg-panel px-2 py-1';

/** Placing a scan by picking the same places in it and in scans that stay, or by moving it there. */
export function ByHandPanel({ piece, busy }: { piece: PieceView; busy: boolean }) {
  const { moving, onto, by, pairs, pose, refine } = useAppSelector((s) => s.byHand);
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
  const movable = piece.scanList.filter((s) => !s.placement.locked);
  if (piece.scans < 2) return null;
  if (!scan) {
    const loose = piece.scanList.find((s) => !hasPlace(s)) ?? movable[movable.length - 1];
    return (
      <section aria-label="Place by hand" className="border-b border-line py-3">
        <h3 className="m-0 text-sm font-semibold">Place by hand</h3>
        <p className="mb-2 mt-1 text-muted">
          Where a scan finds no place by itself: pick the same places in it and in the others, or move it there.
        </p>
        <Button onClick={() => begin(loose.id)} disabled={busy || movable.length === 0}>
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
  const ready = by === 'moving' ? pose !== null : whole.length >= 3;
  const place = async (): Promise<void> => {
    const ground = onto === 'placed' ? '' : piece.scanList.find((s) => s.id === onto)!.name;
    const [operationId, params] =
      by === 'moving'
        ? [OPERATION_IDS.registerMoved, { onto: placedOthers(scan.id) ? '' : ground, pieceFromScan: pose }]
        : [
            OPERATION_IDS.registerPairs,
            { pairs: whole.map(({ from, onto: o }) => ({ from, scan: o.scan, onto: o.point })) },
          ];
    const result = await run({ pieceId: piece.id, operationId, params: { scan: scan.name, refine, ...params } });
    if (!('error' in result)) dispatch(byHandBegun(null));
  };
  const rescale = async (factor: number): Promise<void> => {
    const params = { only: [scan.name], was: 'factor', factor };
    const result = await run({ pieceId: piece.id, operationId: OPERATION_IDS.cleanRescale, params });
    if (!('error' in result)) dispatch(picksScaled(factor));
  };
  return (
    <section aria-label="Place by hand" className="border-b border-line py-3">
      <h3 className="m-0 text-sm font-semibold">Place by hand</h3>
      <div className="mt-1.5 flex flex-col gap-1.5">
        <label className="grid grid-cols-[4rem_1fr] items-center gap-2">
          Moves
          <select className={SELECT} value={scan.id} onChange={(e) => begin(e.target.value)}>
            {movable.map((s) => (
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
        <div role="group" aria-label="How" className="grid grid-cols-2 gap-1">
          {METHODS.map(([value, text]) => (
            <Button
              key={value}
              aria-pressed={by === value}
              className={PRESSED}
              onClick={() => dispatch(methodChosen(value))}
            >
              {text}
            </Button>
          ))}
        </div>
        {by === 'moving' ? (
          <MovingForm />
        ) : (
          <PickingForm whole={whole} fit={fit} busy={busy || isLoading} rescale={(f) => void rescale(f)} />
        )}
        <Check checked={refine} onChange={() => dispatch(refineToggled())}>
          Then fit all together finely
        </Check>
        {error && <Notice tone="error">{problemText(error)}</Notice>}
        <div className="flex gap-1">
          <Button tone="go" className="flex-1" disabled={!ready || busy || isLoading} onClick={() => void place()}>
            Place it
          </Button>
          <Button onClick={() => dispatch(byHandBegun(null))}>Leave it</Button>
        </div>
      </div>
    </section>
  );
}
