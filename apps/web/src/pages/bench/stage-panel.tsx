import { useRef } from 'react';
import type { OperationView, PieceView, StepView } from '@amber-knit/contracts';
import { PLACES, type Place } from '../../stages/places';
import { StageHelp } from './stage-help';
import { useWanted } from './use-wanted';
import { useWhyNot } from '../../api/accounts-api';
import { api } from '../../api/api';
import { stageOf } from '../../app/stages';
import { IncomingList } from '../../incoming/incoming-list';
import { unitQuestionOf } from '../../incoming/unit-question';
import { selectionClient } from '../../selection/selection-client';
import { Notice } from '../../shared/controls';
import { FigureList } from '../../shared/figure-list';
import type { StageModule, StagePreview } from '../../stages/stage-module';
import { BeforeButton } from './before-button';
import { OperationForm } from './operation-form';
import { RunningStep } from '../../shared/running-step';

/** What the piece must have before a stage can work, in words. */
function missing(piece: PieceView, { needs }: Pick<Place, 'needs'>): string | null {
  if (needs?.includes('scans') && piece.scans === 0) return 'Bring in scans first (Capture).';
  if (needs?.includes('placements') && !piece.placements) return 'Register the scans first.';
  if (needs?.includes('mesh') && !piece.mesh) return 'Fuse the scans first, or bring in a finished surface at Mend.';
  if (needs?.includes('model') && !piece.model) return 'Colour the surface first.';
  if (needs?.includes('light') && !piece.light) return 'Make a light model first.';
  return null;
}

/** What an operation would take away, selected in the view. */
const MARK_WHAT_GOES = (operationId: string): StagePreview => ({
  label: 'Mark what would go',
  help: 'Selects the points that would go; nothing is changed',
  look: (_piece, params) => selectionClient.preview(operationId, params),
});

/** The panel on the right: what a person must decide, the newest result, the stage's own panels, its operations. */
export function StagePanel({ piece, stage }: { piece: PieceView; stage: StageModule }) {
  const { data: operations } = api.useOperationsQuery();
  const { data: steps = [] } = api.useStepsQuery(piece.id);
  const { id, first = [], panels = [] } = stage;
  const { name, guide } = stageOf(id)!;
  const own = operations?.filter((o) => o.stage === id && !o.byHand && !o.needs.includes('file')) ?? [];
  const open = steps.filter((s) => s.status === 'running' || s.status === 'queued');
  const last = steps.filter((s) => s.stage === id && s.status !== 'running' && s.status !== 'queued').pop();
  // Whoever may not change the piece may still measure on it; all else is there to be seen.
  const inert = useWhyNot('work', piece.owner) !== null && id !== 'check';
  const aside = useRef<HTMLElement>(null);
  const wanted = useWanted(aside);
  const place = PLACES.find((p) => p.stage === id && (p.region ?? p.title) === wanted);
  const lacking = place && missing(piece, place) && `${place.title}: ${missing(piece, place)}`;
  const given = { piece, steps, busy: open.length > 0 };
  return (
    <aside
      ref={aside}
      aria-label={`${name}: operations`}
      className="flex w-82 shrink-0 flex-col overflow-y-auto border-l border-line bg-panel px-4 py-3"
    >
      <div className="flex items-center justify-between">
        <h2 className="m-0 text-base font-semibold">{name}</h2>
        <StageHelp stage={id} name={name} />
      </div>
      <p className="mb-2 mt-1 text-muted">{guide}</p>
      {lacking && <Notice>{lacking}</Notice>}
      <IncomingList piece={piece} />
      {open.map((s) => (
        <RunningStep key={s.id} step={s} />
      ))}
      <fieldset disabled={inert} className="contents">
        {first.map((Panel, k) => (
          <Panel key={k} {...given} />
        ))}
      </fieldset>
      {last && <LastResult step={last} stage={stage} operation={operations?.find((o) => o.id === last.operationId)} />}
      <fieldset disabled={inert} className="contents">
        {panels.map((Panel, k) => (
          <Panel key={k} {...given} />
        ))}
        {own.map((o, i) => {
          const lack = missing(piece, o);
          return lack ? (
            i === 0 && <Notice key={o.id}>{lack}</Notice>
          ) : (
            <OperationForm
              key={o.id}
              piece={piece}
              operation={o}
              main={i === 0}
              busy={given.busy}
              wanted={wanted === o.title}
              preview={o.takesAway ? MARK_WHAT_GOES(o.id) : stage.previews?.[o.id]}
            />
          );
        })}
      </fieldset>
    </aside>
  );
}

function LastResult({
  step,
  stage: { compared, Result },
  operation,
}: {
  step: StepView;
  stage: StageModule;
  operation: OperationView | undefined;
}) {
  // It is asked about where files are brought in.
  if (unitQuestionOf(step)) return null;
  if (step.status === 'failed') {
    return (
      <Notice tone="error">
        <b>{step.title}</b> did not finish. {step.error}
      </Notice>
    );
  }
  if (step.status === 'cancelled') return <Notice>{step.title} was cancelled. Nothing was changed.</Notice>;
  return (
    <section aria-label="Newest result" className="mb-1 rounded-lg bg-sunk px-3 py-2">
      <p className="m-0 mb-1.5">{step.summary}</p>
      <FigureList figures={step.figureList} />
      {step.notes.map((n) => (
        <p key={n} className="m-0 mt-1 text-brick">
          {n}
        </p>
      ))}
      {compared && operation?.movesNothing === false && <BeforeButton step={step} />}
      {Result && <Result step={step} />}
    </section>
  );
}
