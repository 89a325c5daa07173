import { Link } from 'react-router';
import { CircleAlert, CircleCheck, CircleX, Download } from 'lucide-react';
import type { GuideAnswers, GuideVerdict, PieceView, StepView } from '@amber-knit/contracts';
import { OPERATION_IDS } from '@amber-knit/operations/operation-ids';
import { api, problemText } from '../../api/api';
import { stageOf } from '../../app/stages';
import { Button, Notice } from '../../shared/controls';
import { RunningStep } from '../../shared/running-step';
import { Turntable } from '../../shared/turntable';
import { moduleOf } from '../../stages';

const SIGNS = { good: CircleCheck, look: CircleAlert, poor: CircleX };
const SIGN_WORDS = { good: 'good', look: 'look at it', poor: 'needs work' };
const COLORS = { good: 'text-teal', look: 'text-amber', poor: 'text-brick' };

function Sign({ grade, size }: { grade: GuideVerdict['grade']; size: number }) {
  const Glyph = SIGNS[grade];
  return <Glyph size={size} role="img" aria-label={SIGN_WORDS[grade]} className={`shrink-0 ${COLORS[grade]}`} />;
}

/** How the model turned out, what would help most, and the files it can leave in. */
export function VerdictCard({
  piece,
  steps,
  answers,
  verdict,
}: {
  piece: PieceView;
  steps: readonly StepView[];
  answers: GuideAnswers;
  verdict: GuideVerdict;
}) {
  return (
    <section
      aria-label="Verdict"
      className="grid gap-5 rounded-xl border border-line bg-panel p-5 lg:grid-cols-[1fr_260px]"
    >
      <div>
        <h2 className="m-0 flex items-center gap-2 text-lg font-semibold">
          <Sign grade={verdict.grade} size={22} /> {verdict.words}
        </h2>
        <dl className="m-0 mt-3 grid grid-cols-[auto_auto_1fr] items-center gap-x-3 gap-y-1.5">
          {verdict.points.map((p) => (
            <div key={`${p.label} ${p.text}`} className="contents">
              <dt className="contents">
                <Sign grade={p.grade} size={16} />
                <span className="text-muted">{p.label}</span>
              </dt>
              <dd className="num m-0">{p.text}</dd>
            </div>
          ))}
        </dl>
        {verdict.improve.length > 0 && (
          <>
            <h3 className="m-0 mt-4 text-base font-semibold">What would help, the most first</h3>
            <ol className="m-0 mt-1 list-decimal pl-5">
              {verdict.improve.map(({ text, stage }) => (
                <li key={text}>
                  {text}{' '}
                  <Link to={`/pieces/${piece.id}/bench/${stage}`} className="text-teal">
                    Open {stageOf(stage)?.name}
                  </Link>
                </li>
              ))}
            </ol>
          </>
        )}
      </div>
      <div>
        <Link
          to={`/pieces/${piece.id}/bench/check`}
          aria-label="Look at the model"
          className="block overflow-hidden rounded-lg border border-line text-ink no-underline hover:border-amber"
        >
          <Turntable piece={piece} />
          <span className="block px-3 py-1.5 text-teal">Look at the model</span>
        </Link>
        <Targets piece={piece} steps={steps} answers={answers} />
      </div>
    </section>
  );
}

/** Ways out, the one that was answered first. */
const TARGETS = [
  { operationId: OPERATION_IDS.deliverWeb, label: 'For the web', finish: 'render' },
  { operationId: OPERATION_IDS.deliverPrint, label: 'For printing', finish: 'print' },
  { operationId: OPERATION_IDS.deliverExport, label: 'For other programs', finish: 'archive' },
] as const;

function Targets({ piece, steps, answers }: { piece: PieceView; steps: readonly StepView[]; answers: GuideAnswers }) {
  const [run, { error, isLoading }] = api.useRunOperationMutation();
  const open = steps.find((s) => s.status === 'queued' || s.status === 'running');
  const newest = steps.filter((s) => s.stage === 'deliver' && s.createdAt >= lastMade(steps, piece)).at(-1);
  const { Result } = moduleOf('deliver');
  const main = TARGETS.find((t) => t.finish === answers.finish) ?? TARGETS[0];
  return (
    <div className="mt-4">
      <h3 className="m-0 mb-2 text-base font-semibold">Take it along</h3>
      {open?.stage === 'deliver' && <RunningStep step={open} />}
      {newest?.status === 'done' && Result && (
        <div className="mb-2">
          <Result step={newest} />
        </div>
      )}
      {newest?.status === 'failed' && <Notice tone="error">{newest.error}</Notice>}
      {error !== undefined && <Notice tone="error">{problemText(error)}</Notice>}
      <div className="flex flex-col gap-2">
        {[main, ...TARGETS.filter((t) => t !== main)].map(({ operationId, label }) => (
          <Button
            key={operationId}
            tone={operationId === main.operationId && newest?.status !== 'done' ? 'go' : 'plain'}
            disabled={isLoading || open !== undefined}
            onClick={() => void run({ pieceId: piece.id, operationId, params: {} })}
          >
            <Download size={15} /> {label}
          </Button>
        ))}
      </div>
      <Link to={`/pieces/${piece.id}/bench/deliver`} className="mt-2 inline-block text-teal">
        More formats in Deliver
      </Link>
    </div>
  );
}

/** When the surface came to be as it is: files from before are not of it. */
const lastMade = (steps: readonly StepView[], { mesh, model }: PieceView): string =>
  steps.find((s) => s.id === (model ?? mesh)?.stepId)?.createdAt ?? '';
