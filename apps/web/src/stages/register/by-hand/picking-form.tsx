import { X } from 'lucide-react';
import type { PairFit } from '@amber-knit/core/registration';
import { linkToggled, pairRemoved, type PickedPlaces } from '../../../app/by-hand-slice';
import { useAppDispatch, useAppSelector } from '../../../app/store';
import { Button, Check } from '../../../shared/controls';
import { warningText } from './pair-words';

export type WholePair = Required<PickedPlaces>;
export const isWhole = (p: PickedPlaces): p is WholePair => p.from !== undefined && p.onto !== undefined;

/** The pairs picked so far, how far off each is, and what is wrong with them. */
export function PickingForm({
  whole,
  fit,
  busy,
  rescale,
}: {
  whole: WholePair[];
  fit: PairFit;
  busy: boolean;
  /** Makes the moved scan so many times as large. */
  rescale(factor: number): void;
}) {
  const { pairs, linked } = useAppSelector((s) => s.byHand);
  const dispatch = useAppDispatch();
  const { errors, warnings, scale } = fit;
  const times = scale.toFixed(scale < 0.1 ? 5 : 3);
  return (
    <>
      <p className="m-0 text-muted">Click the same place in both views, one pair after the other: three at least.</p>
      <Check checked={linked} onChange={() => dispatch(linkToggled())}>
        Turn both views together
      </Check>
      <ol className="m-0 flex list-none flex-col gap-1 p-0" aria-label="Pairs">
        {pairs.map((p, k) => {
          const at = whole.indexOf(p as (typeof whole)[number]);
          const odd = warnings.some((w) => w.kind === 'pair' && w.index === at);
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
                    : `${errors[at].toFixed(2)} mm off`}
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
      {warnings.map((w) => (
        <p key={w.kind} className={`m-0 ${w.kind === 'few' ? 'text-muted' : 'text-brick'}`}>
          {warningText(renumbered(w, whole, pairs))}
        </p>
      ))}
      {warnings.some((w) => w.kind === 'scale') && (
        <Button disabled={busy} onClick={() => rescale(Number(times))}>
          Make it {times} times as large
        </Button>
      )}
    </>
  );
}

/** A warning that counts whole pairs, counting as the list does. */
function renumbered<W extends { kind: string }>(w: W, whole: WholePair[], pairs: PickedPlaces[]): W {
  return 'index' in w ? { ...w, index: pairs.indexOf(whole[w.index as number]) } : w;
}
