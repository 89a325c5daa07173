import type { StepView } from '@amber-knit/contracts';
import { api } from '../api/api';
import { Button, ProgressBar } from './controls';
import { TellWhenDone } from './work-notice';

/** A step that waits or runs: what it does, how far it is, and how to stop it. */
export function RunningStep({ step }: { step: StepView }) {
  const [cancel, { isLoading }] = api.useCancelStepMutation();
  const elapsed = step.startedAt ? (Date.now() - Date.parse(step.startedAt)) / 1000 : 0;
  const left = step.progress > 0.05 ? Math.ceil((elapsed / step.progress) * (1 - step.progress)) : null;
  return (
    <div role="status" className="mb-2 rounded-lg border border-amber bg-amber-soft px-3 py-2">
      <div className="flex items-center justify-between gap-2">
        <b className="font-semibold">{step.title}</b>
        <span className="flex gap-1.5">
          <TellWhenDone />
          <Button onClick={() => void cancel(step.id)} disabled={isLoading}>
            Cancel
          </Button>
        </span>
      </div>
      <div className="num mb-1">
        {step.status === 'queued'
          ? 'waiting'
          : `${Math.round(100 * step.progress)} %${left ? `, about ${left} s left` : ''}`}
        {step.progressStage && <span className="block truncate">{step.progressStage}</span>}
      </div>
      <ProgressBar value={step.progress} label={step.title} />
    </div>
  );
}
