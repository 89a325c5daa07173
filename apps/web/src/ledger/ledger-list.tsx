import { Fragment, useState } from 'react';
import { format } from 'date-fns';
import { ChevronDown, ChevronRight } from 'lucide-react';
import type { StepView } from '@amber-knit/contracts';
import { api } from '../api/api';
import { FigureRows } from '../shared/figure-list';
import { durationText } from '@amber-knit/operations/quantity-text';

const STATUS: Record<StepView['status'], string> = {
  queued: '… waiting',
  running: '▸ running',
  done: '✓ done',
  failed: '✕ failed',
  cancelled: '– cancelled',
};

/** Steps as a list, newest first, each openable for parameters, figures and notes. */
export function LedgerList({ pieceId }: { pieceId: string }) {
  const { data: steps } = api.useStepsQuery(pieceId);
  const [open, setOpen] = useState<string | null>(null);
  if (!steps) return <p className="text-muted">Opening the ledger …</p>;
  if (steps.length === 0)
    return <p className="text-muted">No steps yet. Whatever you run on the bench is written down here.</p>;
  return (
    <table className="w-full border-collapse text-left">
      <thead className="text-muted">
        <tr className="border-b border-line">
          <th className="py-1.5 pr-3 font-medium">No.</th>
          <th className="py-1.5 pr-3 font-medium">Step</th>
          <th className="py-1.5 pr-3 font-medium">Result</th>
          <th className="py-1.5 pr-3 font-medium">State</th>
          <th className="py-1.5 pr-3 text-right font-medium">Took</th>
          <th className="py-1.5 text-right font-medium">At</th>
        </tr>
      </thead>
      <tbody>
        {steps
          .map((s, i) => ({ s, i }))
          .reverse()
          .map(({ s, i }) => (
            <Fragment key={s.id}>
              <tr className="border-b border-line align-top">
                <td className="num py-1.5 pr-3 text-muted">{i + 1}</td>
                <td className="py-1.5 pr-3">
                  <button
                    type="button"
                    className="inline-flex items-center gap-1 border-0 bg-transparent p-0 text-left text-ink"
                    aria-expanded={open === s.id}
                    onClick={() => setOpen(open === s.id ? null : s.id)}
                  >
                    {open === s.id ? <ChevronDown size={15} /> : <ChevronRight size={15} />} {s.title}
                  </button>
                </td>
                <td className={`py-1.5 pr-3 ${s.status === 'failed' ? 'text-brick' : ''}`}>
                  {s.summary ?? s.error ?? s.progressStage}
                </td>
                <td className="whitespace-nowrap py-1.5 pr-3">{STATUS[s.status]}</td>
                <td className="num whitespace-nowrap py-1.5 pr-3 text-right">
                  {s.startedAt && s.finishedAt ? durationText(Date.parse(s.finishedAt) - Date.parse(s.startedAt)) : ''}
                </td>
                <td className="num whitespace-nowrap py-1.5 text-right text-muted">
                  {format(new Date(s.createdAt), 'd MMM HH:mm')}
                </td>
              </tr>
              {open === s.id && (
                <tr className="border-b border-line bg-sunk">
                  <td />
                  <td colSpan={5} className="py-2 pr-3">
                    <StepDetails step={s} />
                  </td>
                </tr>
              )}
            </Fragment>
          ))}
      </tbody>
    </table>
  );
}

function StepDetails({ step }: { step: StepView }) {
  return (
    <div className="grid grid-cols-2 gap-6">
      <div>
        <h3 className="m-0 mb-1 text-sm font-semibold">Parameters</h3>
        {step.paramList.length === 0 ? (
          <span className="text-muted">none</span>
        ) : (
          <dl className="m-0 grid grid-cols-[auto_1fr] gap-x-4">
            {step.paramList.map((p) => (
              <Fragment key={p.name}>
                <dt className="text-muted">{p.label}</dt>
                <dd className="num m-0">{p.text}</dd>
              </Fragment>
            ))}
          </dl>
        )}
      </div>
      <div>
        <h3 className="m-0 mb-1 text-sm font-semibold">Figures</h3>
        {step.figureList.length === 0 ? (
          <span className="text-muted">none</span>
        ) : (
          <FigureRows figures={step.figureList} />
        )}
      </div>
      <div className="col-span-2 text-muted">
        <span className="num">
          {step.operationId}, version {step.version}, seed {step.seed}, run {step.attempt}
        </span>
        {step.by && `, asked for by ${step.by}`}
        {step.notes.map((n) => (
          <p key={n} className="m-0">
            {n}
          </p>
        ))}
      </div>
    </div>
  );
}
