import { useEffect } from 'react';
import { LocateFixed, Trash2 } from 'lucide-react';
import type { TrustManner, TrustRegion } from '@amber-knit/core/fusion';
import { OPERATION_IDS } from '@amber-knit/operations/operation-ids';
import { api, problemText } from '../../../api/api';
import { useAppDispatch } from '../../../app/store';
import { placeLookedAt } from '../../../app/view-slice';
import { Button, Check, IconButton, Notice, SelectRow } from '../../../shared/controls';
import { NumberRow } from '../../../shared/number-row';
import { useStore } from '../../../shared/store';
import { hasPlace } from '../../../view/piece-content';
import type { StagePanelProps } from '../../stage-module';
import { trustDesk } from './trust-desk';

const HOW: Record<TrustManner, string> = { only: 'Only these', rather: 'Rather these', not: 'Not these' };
/** How much around a place is shown, in its radii. */
const AROUND = 4;

/** Which scans count where: marked in the view, kept as a step. */
export function TrustPanel({ piece, busy }: StagePanelProps) {
  const { draft, radius, selected } = useStore(trustDesk);
  const { data: sheet } = api.useTrustQuery(piece.trust?.id ?? '', { skip: !piece.trust });
  const [run, { error, isLoading }] = api.useRunOperationMutation();
  const dispatch = useAppDispatch();
  useEffect(() => () => trustDesk.end(), []);
  const placed = piece.scanList.filter(hasPlace);
  if (placed.length < 2) return null;
  const regions = (piece.trust && sheet?.regions) || [];
  const keep = (list: readonly TrustRegion[]): void =>
    void run({ pieceId: piece.id, operationId: OPERATION_IDS.fuseTrust, params: { regions: list } });
  const size = Math.max(...placed.map((s) => Number(s.cloud.facts.diagonal) || 0), 10);
  const lookAt = (i: number): void => {
    const [[x, y, z, r]] = regions[i].balls;
    trustDesk.select(selected === i ? null : i);
    dispatch(placeLookedAt({ place: [x, y, z], size: AROUND * r }));
  };
  return (
    <section aria-label="Which scans count where" className="border-b border-line py-3">
      <h3 className="m-0 text-sm font-semibold">Which scans count where</h3>
      {regions.length === 0 && !draft && (
        <p className="mb-2 mt-1 text-muted">
          Where scans disagree the surer data win by themselves. Mark a place to say which scans to believe there: the
          foot from one, the body from another.
        </p>
      )}
      {error && <Notice tone="error">{problemText(error)}</Notice>}
      {regions.length > 0 && (
        <ol className="m-0 mb-2 mt-1 flex list-none flex-col gap-1 p-0">
          {regions.map((r, i) => (
            <li key={i} className="flex items-center gap-1.5 rounded-lg px-1 hover:bg-sunk">
              <span className="flex-1">
                <b>{r.name}</b>: {HOW[r.how].toLowerCase()} <span className="text-muted">{r.scans.join(', ')}</span>
              </span>
              <IconButton label={`Go to ${r.name}`} onClick={() => lookAt(i)}>
                <LocateFixed size={15} aria-hidden />
              </IconButton>
              <IconButton label={`Remove ${r.name}`} onClick={() => !busy && keep(regions.filter((_, k) => k !== i))}>
                <Trash2 size={15} aria-hidden />
              </IconButton>
            </li>
          ))}
        </ol>
      )}
      {!draft && (
        <Button onClick={() => trustDesk.begin(`Place ${regions.length + 1}`, size)} disabled={busy}>
          Mark a place
        </Button>
      )}
      {draft && (
        <div className="mt-1 flex flex-col gap-1.5">
          <label className="grid grid-cols-[1fr_8.6rem] items-center gap-2">
            Name
            <input
              value={draft.name}
              maxLength={80}
              onChange={(e) => trustDesk.change({ name: e.target.value })}
              className="w-full min-w-0 rounded-lg border border-[var(--field)] bg-panel px-2 py-1"
            />
          </label>
          <SelectRow
            title="Counts there"
            value={draft.how}
            choices={HOW}
            onChange={(how) => trustDesk.change({ how })}
          />
          <fieldset className="m-0 max-h-36 overflow-y-auto border-0 p-0">
            <legend className="p-0">Scans</legend>
            {placed.map((s) => (
              <Check key={s.id} checked={draft.scans.includes(s.name)} onChange={() => trustDesk.toggleScan(s.name)}>
                {s.name}
              </Check>
            ))}
          </fieldset>
          <NumberRow
            title="Ball"
            help="Radius of what the next click takes in."
            unit="mm"
            value={radius}
            min={0.1}
            max={5000}
            step={1}
            onChange={(r) => trustDesk.setRadius(r)}
          />
          <NumberRow
            title="Runs out over"
            help="Around the balls the choice fades over this width, so that no step is seen."
            unit="mm"
            value={draft.width}
            min={0.01}
            max={5000}
            step={1}
            onChange={(width) => trustDesk.change({ width })}
          />
          <p className="m-0 text-muted">
            {draft.balls.length === 0
              ? 'Nothing marked yet: click on the piece.'
              : `${draft.balls.length} ${draft.balls.length === 1 ? 'ball' : 'balls'} marked.`}
          </p>
          <div className="flex flex-wrap gap-1">
            <Button
              disabled={busy || isLoading || draft.balls.length === 0 || draft.scans.length === 0 || !draft.name.trim()}
              onClick={() => {
                keep([...regions, draft]);
                trustDesk.end();
              }}
            >
              Keep
            </Button>
            {draft.balls.length > 0 && <Button onClick={() => trustDesk.back()}>Take back one</Button>}
            <Button onClick={() => trustDesk.end()}>Cancel</Button>
          </div>
        </div>
      )}
      {regions.length > 0 && piece.mesh && !draft && (
        <p className="mb-0 mt-1 text-muted">The next fusing goes by it.</p>
      )}
    </section>
  );
}
