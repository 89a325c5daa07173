import { useEffect } from 'react';
import { CircleCheck, CircleX } from 'lucide-react';
import { SAFE_FAULTS, type FaultKind } from '@amber-knit/core/mending';
import { numbersText } from '@amber-knit/operations/numbers-in-list';
import { OPERATION_IDS } from '@amber-knit/operations/operation-ids';
import { lengthText } from '@amber-knit/operations/quantity-text';
import { api, problemText } from '../../../api/api';
import { useAppDispatch } from '../../../app/store';
import { placeLookedAt } from '../../../app/view-slice';
import { Button, Notice } from '../../../shared/controls';
import { HelpMark } from '../../../shared/help-mark';
import { useStore } from '../../../shared/store';
import type { StagePanelProps } from '../../stage-module';
import type { FoundHole } from '../holes/hole-words';
import { holesClient } from '../holes/holes-client';
import { PlaceRow } from '../places/place-row';
import { FAULT_WORDS, kindCounts, type FoundFault } from './fault-words';
import { faultsClient } from './faults-client';

/** So many are listed; the rest are chosen by kind. */
const MOST_LISTED = 100;
/** How much around a fault is shown, by its size; at least so many mm. */
const AROUND = 1.5;
const LEAST_AROUND = 4;

/** Whether the surface is whole, and where it is not: look at each place, mend one, a kind, or all that is safe. */
export function FaultsPanel({ piece, busy }: StagePanelProps) {
  const meshId = piece.mesh?.id;
  const { found, failed, chosen } = useStore(faultsClient);
  const holes = useStore(holesClient, (s) => s.found);
  const [run, { error, isLoading }] = api.useRunOperationMutation();
  const dispatch = useAppDispatch();
  useEffect(() => (meshId ? faultsClient.look(meshId) : faultsClient.clear()), [meshId]);
  useEffect(() => () => faultsClient.clear(), []);
  if (!meshId) return null;

  const mend = (faults: string): void =>
    void run({ pieceId: piece.id, operationId: OPERATION_IDS.mendFaults, params: { faults } });
  const numbersOf = (kind: FaultKind): number[] => found!.flatMap((f, i) => (f.kind === kind ? [i] : []));
  const safe = found?.filter((f) => SAFE_FAULTS.includes(f.kind)).length ?? 0;
  return (
    <section aria-label="What is wrong" className="border-b border-line py-3">
      <h3 className="m-0 text-sm font-semibold">What is wrong</h3>
      {failed && <Notice tone="error">{failed}</Notice>}
      {!found && !failed && <p className="m-0 text-muted">Looking the surface through …</p>}
      {found && holes && <Verdict faults={found} holes={holes} />}
      {found && found.length > 0 && (
        <>
          <ul className="m-0 mb-1 mt-1 flex list-none flex-wrap gap-1 p-0">
            {kindCounts(found).map(([kind, count]) => (
              <li key={kind} className="flex items-center">
                <Button
                  className="text-sm"
                  title={`Choose these. ${FAULT_WORDS[kind][1]}`}
                  onClick={() => faultsClient.choose(new Set(numbersOf(kind)))}
                >
                  {FAULT_WORDS[kind][0]} <span className="num">{count}</span>
                </Button>
              </li>
            ))}
          </ul>
          <ol className="m-0 mb-2 flex max-h-40 list-none flex-col gap-0.5 overflow-y-auto p-0" aria-label="Faults">
            {found.slice(0, MOST_LISTED).map((fault, i) => (
              <PlaceRow
                key={i}
                number={i + 1}
                chosen={chosen.has(i)}
                goTo={`Go to fault ${i + 1}`}
                onToggle={() => faultsClient.toggle(i)}
                onGo={() => {
                  if (!chosen.has(i)) faultsClient.choose(new Set([i]));
                  const size = Math.max(LEAST_AROUND, AROUND * fault.size);
                  dispatch(placeLookedAt({ place: fault.place, size }));
                }}
              >
                <span className="flex-1">{FAULT_WORDS[fault.kind][0]}</span>
                <span className="num text-muted">{lengthText(fault.size)}</span>
              </PlaceRow>
            ))}
          </ol>
          {found.length > MOST_LISTED && (
            <p className="m-0 text-muted">{found.length - MOST_LISTED} more follow; choose them by kind.</p>
          )}
          {error && <Notice tone="error">{problemText(error)}</Notice>}
          <div className="flex flex-wrap gap-1">
            {chosen.size > 0 && (
              <>
                <Button disabled={busy || isLoading} onClick={() => mend(numbersText(chosen))}>
                  {chosen.size === 1 ? 'Mend this fault' : `Mend these ${chosen.size} faults`}
                </Button>
                <Button onClick={() => faultsClient.choose(new Set())}>Choose none</Button>
              </>
            )}
            {safe > 0 && chosen.size === 0 && (
              <Button
                disabled={busy || isLoading}
                title="All but loose pieces, which may be parts of the object"
                onClick={() => mend('')}
              >
                Mend all that is safe
              </Button>
            )}
          </div>
        </>
      )}
    </section>
  );
}

/** Watertight or not, and why not. */
function Verdict({ faults, holes }: { faults: readonly FoundFault[]; holes: readonly FoundHole[] }) {
  const meant = holes.filter((h) => h.meant).length;
  const count = (kinds: readonly FaultKind[]): number => faults.filter((f) => kinds.includes(f.kind)).length;
  const reasons = [
    [holes.length - meant, 'hole', 'holes'],
    [count(['crossing']), 'place where it crosses itself', 'places where it crosses itself'],
    [count(['edge', 'vertex']), 'place where it is no single sheet', 'places where it is no single sheet'],
    [count(['inside-out']), 'piece inside out', 'pieces inside out'],
  ] as const;
  const against = reasons.filter(([n]) => n > 0).map(([n, one, many]) => `${n} ${n === 1 ? one : many}`);
  const whole = against.length === 0;
  return (
    <p className="m-0 mt-1 flex items-start gap-1.5" role="status">
      {whole ? (
        <CircleCheck size={17} aria-hidden className="mt-0.5 shrink-0 text-teal" />
      ) : (
        <CircleX size={17} aria-hidden className="mt-0.5 shrink-0 text-brick" />
      )}
      <span>
        <b>{!whole ? 'Not watertight' : meant > 0 ? 'Closed but for what is meant to be open' : 'Watertight'}</b>
        {!whole
          ? `: ${against.join(', ')}.`
          : meant > 0
            ? `: ${meant} ${meant === 1 ? 'opening' : 'openings'}. A printer wants them closed.`
            : ': closed, one outside, no crossings.'}
        <HelpMark about="Watertight">
          Closed everywhere, every edge between two triangles, nothing that crosses: what a printer and a solid modeller
          need. Told exactly.
        </HelpMark>
      </span>
    </p>
  );
}
