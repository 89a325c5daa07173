import { useEffect, useState } from 'react';
import { numbersText } from '@amber-knit/operations/numbers-in-list';
import { OPERATION_IDS } from '@amber-knit/operations/operation-ids';
import { lengthText } from '@amber-knit/operations/quantity-text';
import { api, problemText } from '../../../api/api';
import { useAppDispatch } from '../../../app/store';
import { placeLookedAt } from '../../../app/view-slice';
import { Button, Notice, SelectRow } from '../../../shared/controls';
import { NumberRow } from '../../../shared/number-row';
import { useStore } from '../../../shared/store';
import type { StagePanelProps } from '../../stage-module';
import { PlaceRow } from '../places/place-row';
import { acrossText, besideHole, upTo, type FoundHole } from './hole-words';
import { holesClient } from './holes-client';

/** So many are listed; the rest, the smallest, are chosen by size. */
const MOST_LISTED = 200;
/** How much around a hole is shown, by its rim's length; at least so many mm. */
const AROUND = 0.6;
const LEAST_AROUND = 12;

/** The holes of the surface: look at each, choose some, fill them one by one or by size. */
export function HolesPanel({ piece, busy }: StagePanelProps) {
  const meshId = piece.mesh?.id;
  const { found, failed, chosen } = useStore(holesClient);
  const [run, { error, isLoading }] = api.useRunOperationMutation();
  const [shape, setShape] = useState<'smooth' | 'flat'>('smooth');
  const [longest, setLongest] = useState<number | null>(null);
  const dispatch = useAppDispatch();
  useEffect(() => (meshId ? holesClient.look(meshId) : holesClient.clear()), [meshId]);
  useEffect(() => () => holesClient.clear(), []);
  if (!meshId) return null;

  const lookAt = (hole: FoundHole): void => {
    const size = Math.max(LEAST_AROUND, AROUND * hole.length);
    dispatch(placeLookedAt({ place: hole.middle, size, from: besideHole(hole, size) }));
  };
  const picked = found?.filter((_, i) => chosen.has(i)) ?? [];
  const allMeant = picked.length > 0 && picked.every((h) => h.meant);
  const mark = (): void =>
    void run({
      pieceId: piece.id,
      operationId: OPERATION_IDS.mendOpenings,
      params: { holes: numbersText(chosen), meant: !allMeant },
    });
  const fill = (): void =>
    void run({
      pieceId: piece.id,
      operationId: OPERATION_IDS.mendHoles,
      params: { holes: numbersText(chosen), shape },
    });
  return (
    <section aria-label="Holes" className="border-b border-line py-3">
      <h3 className="m-0 text-sm font-semibold">Holes</h3>
      {failed && <Notice tone="error">{failed}</Notice>}
      {!found && !failed && <p className="m-0 text-muted">Looking for rims …</p>}
      {found?.length === 0 && <p className="m-0 text-muted">The surface has no rim: there is nothing to fill.</p>}
      {found && found.length > 0 && (
        <>
          <p className="mb-1 mt-1 text-muted">
            Width and rim, the longest first. Mark what belongs there, such as the mouth of a jug, as meant to be open.
          </p>
          <ol className="m-0 mb-2 flex max-h-48 list-none flex-col gap-0.5 overflow-y-auto p-0">
            {found.slice(0, MOST_LISTED).map((hole, i) => (
              <PlaceRow
                key={i}
                number={i + 1}
                chosen={chosen.has(i)}
                goTo={`Go to hole ${i + 1}`}
                onToggle={() => holesClient.toggle(i)}
                onGo={() => lookAt(hole)}
              >
                <span className="flex-1">
                  {acrossText(hole)}
                  {hole.meant && <span className="block text-teal">meant to be open</span>}
                </span>
                <span className="num text-muted">{lengthText(hole.length)}</span>
              </PlaceRow>
            ))}
          </ol>
          {found.length > MOST_LISTED && (
            <p className="m-0 text-muted">{found.length - MOST_LISTED} smaller ones follow; choose them by size.</p>
          )}
          <NumberRow
            title="Choose rims up to"
            help="Chooses all holes whose rim is no longer."
            unit="mm"
            value={longest ?? 0}
            min={0}
            max={10_000}
            step={1}
            onChange={(most) => {
              setLongest(most);
              holesClient.choose(upTo(found, most));
            }}
          />
          <SelectRow
            title="Shape of fillings"
            value={shape}
            choices={{ smooth: 'As around', flat: 'Flat' }}
            onChange={(s: typeof shape) => setShape(s)}
          />
          {error && <Notice tone="error">{problemText(error)}</Notice>}
          <div className="mt-2 flex flex-wrap gap-1">
            <Button onClick={fill} disabled={busy || isLoading || chosen.size === 0}>
              {chosen.size === 1 ? 'Fill this hole' : `Fill these ${chosen.size || ''} holes`.replace('  ', ' ')}
            </Button>
            {chosen.size > 0 && (
              <>
                <Button
                  onClick={mark}
                  disabled={busy || isLoading}
                  title={
                    allMeant ? 'Mend may fill them again' : 'Mend leaves them open, and the verdict does not count them'
                  }
                >
                  {allMeant ? 'No longer meant' : 'Meant to be open'}
                </Button>
                <Button onClick={() => holesClient.choose(new Set())}>Choose none</Button>
              </>
            )}
          </div>
        </>
      )}
    </section>
  );
}
