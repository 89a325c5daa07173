import type { ReactNode } from 'react';
import { Download } from 'lucide-react';
import type { OperationView, PieceView, Stage, StepView } from '@amber-knit/contracts';
import { api } from '../../api/api';
import { STAGE_NAMES } from '../../app/stages';
import { Notice } from '../../shared/controls';
import { FigureList } from '../../shared/figure-list';

import { FramesPanel } from '../frames/frames-panel';
import { IncomingList } from '../import/incoming-list';
import { unitQuestionOf } from '../import/unit-question';
import { ByHandPanel } from '../by-hand/by-hand-panel';
import { DoubtPanel } from '../register/doubt-panel';
import { HoldPanel } from '../register/hold-panel';
import { FitPanel } from '../select/fit-panel';
import { NextViewsPanel } from '../next-views/next-views-panel';
import { selectionClient } from '../select/selection-client';
import { SelectPanel } from '../select/select-panel';
import { BeforeButton } from './before-button';
import { OperationForm } from './operation-form';
import { RunningStep } from './running-step';

const GUIDE: Record<Stage, string> = {
  plan: 'Say what the object is and what it is for. Device, settings, setups and later defaults follow; all of it stays open to change.',
  capture: 'Scan the object, or bring scans in from files.',
  clean: 'Take away what is not the object: the table under it, stray points, flying pixels at edges.',
  register: 'Bring all scans into one place. Loose scans lie side by side until then.',
  fuse: 'Merge the registered scans into one surface.',
  mend: 'Close holes and remove faults, then reduce the triangles to what the use needs.',
  texture: 'Colour the surface from the captured pictures.',
  check: 'Measure the result: size, area, volume, distances.',
  deliver: 'Write the result to a file that others can open.',
};

/** What the piece must have before a stage can work, in words. */
function missing(piece: PieceView, operation: OperationView): string | null {
  if (operation.needs.includes('scans') && piece.scans === 0) return 'Bring in scans first (Capture).';
  if (operation.needs.includes('placements') && !piece.placements) return 'Register the scans first.';
  if (operation.needs.includes('mesh') && !piece.mesh) return 'Fuse the scans first.';
  return null;
}

/** The panel on the right: operations of the stage, what runs, the newest figures. */
export function StagePanel({
  piece,
  stage,
  children,
}: {
  piece: PieceView;
  stage: Stage;
  /** What the stage has of its own, above its operations. */
  children?: ReactNode;
}) {
  const { data: operations } = api.useOperationsQuery();
  const { data: steps } = api.useStepsQuery(piece.id);
  const name = STAGE_NAMES.find(([id]) => id === stage)![1];
  const own = operations?.filter((o) => o.stage === stage && !o.byHand && !o.needs.includes('file')) ?? [];
  const open = steps?.filter((s) => s.status === 'running' || s.status === 'queued') ?? [];
  const last = steps?.filter((s) => s.stage === stage && s.status !== 'running' && s.status !== 'queued').pop();
  return (
    <aside
      aria-label={`${name}: operations`}
      className="flex w-82 shrink-0 flex-col overflow-y-auto border-l border-line bg-panel px-4 py-3"
    >
      <h2 className="m-0 text-base font-semibold">{name}</h2>
      <p className="mb-2 mt-1 text-muted">{GUIDE[stage]}</p>
      <IncomingList piece={piece} />
      {open.map((s) => (
        <RunningStep key={s.id} step={s} />
      ))}
      {stage === 'register' && piece.doubts.length > 0 && <DoubtPanel piece={piece} busy={open.length > 0} />}
      {last && <LastResult step={last} operation={operations?.find((o) => o.id === last.operationId)} />}
      {stage === 'clean' && <FramesPanel piece={piece} busy={open.length > 0} />}
      {stage === 'clean' && piece.scans > 0 && <SelectPanel piece={piece} steps={steps ?? []} busy={open.length > 0} />}
      {children}
      {stage === 'register' && <HoldPanel piece={piece} steps={steps ?? []} />}
      {stage === 'register' && <NextViewsPanel piece={piece} />}
      {stage === 'register' && <FitPanel piece={piece} />}
      {stage === 'register' && <ByHandPanel piece={piece} busy={open.length > 0} />}
      {own.map((o, i) => {
        const lack = missing(piece, o);
        return lack ? (
          i === 0 && <Notice key={o.id}>{lack}</Notice>
        ) : (
          <OperationForm
            key={o.id}
            pieceId={piece.id}
            operation={o}
            main={i === 0}
            busy={open.length > 0}
            onPreview={o.takesAway ? (params) => selectionClient.preview(o.id, params) : undefined}
          />
        );
      })}
    </aside>
  );
}

/** Stages whose results are seen in the view beside what was before. */
const COMPARED: readonly Stage[] = ['clean', 'register', 'mend'];

function LastResult({ step, operation }: { step: StepView; operation: OperationView | undefined }) {
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
      {COMPARED.includes(step.stage) && operation?.movesNothing === false && <BeforeButton step={step} />}
      {step.stage === 'deliver' && step.outputs[0] && (
        <a
          href={`/api/artifacts/${step.outputs[0]}/data`}
          download={String(step.figures?.file)}
          className="mt-2 inline-flex items-center gap-1.5 rounded-lg bg-amber px-3 py-1.5 font-semibold text-on-amber no-underline"
        >
          <Download size={16} /> Download {String(step.figures?.file)}
        </a>
      )}
    </section>
  );
}
