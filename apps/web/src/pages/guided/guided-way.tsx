import { useEffect, useState } from 'react';
import { Link } from 'react-router';
import { Pause, Play } from 'lucide-react';
import type { GuidedStepView, GuidedView, StepView } from '@amber-knit/contracts';
import { api, problemText } from '../../api/api';
import { Button, Notice, ProgressBar } from '../../shared/controls';
import { TellWhenDone } from '../../shared/work-notice';
import { StateGlyph, type GlyphState } from '../../shared/state-glyph';
import { aboutText } from './guide-words';

const GLYPHS: Record<GuidedStepView['state'], GlyphState> = {
  done: 'done',
  running: 'running',
  open: 'empty',
  'left-out': 'excluded',
};
const WORDS: Record<GuidedStepView['state'], string> = {
  done: 'done',
  running: 'now',
  open: 'to come',
  'left-out': 'not needed',
};

/** Seconds until the run is done or asks, as far as it is known now. */
export function secondsLeft(way: readonly GuidedStepView[], running: StepView | undefined, now: number): number {
  return way.reduce((sum, { state, seconds }) => {
    if (state === 'open') return sum + seconds;
    if (state !== 'running' || !running) return sum;
    const elapsed = running.startedAt ? (now - Date.parse(running.startedAt)) / 1000 : 0;
    // What was learnt counts until the step has gone far enough to speak for itself.
    const own = running.progress > 0 ? elapsed / running.progress : seconds;
    const trust = Math.min(1, 3 * running.progress);
    return sum + Math.max(0, trust * own + (1 - trust) * seconds - elapsed);
  }, 0);
}

/** What the run does: now, behind and before it; how long still; pause and go on. */
export function GuidedWay({ pieceId, run, steps }: { pieceId: string; run: GuidedView; steps: readonly StepView[] }) {
  const [pace, { isLoading, error }] = api.usePaceGuidedMutation();
  const [cancel] = api.useCancelStepMutation();
  const now = useNow(run.status === 'working');
  const running = steps.find((s) => s.status === 'running') ?? steps.find((s) => s.status === 'queued');
  const left = secondsLeft(run.way, running, now);
  const whole = left + run.way.filter((w) => w.state === 'done').reduce((sum, w) => sum + w.seconds, 0);
  const working = run.status === 'working';
  return (
    <section aria-label="The run" className="rounded-xl border border-line bg-panel p-4">
      <h2 className="m-0 text-base font-semibold">{HEADS[run.status]}</h2>
      {run.recipe && <p className="m-0 mt-1">{run.recipe}</p>}
      <p className="m-0 mt-1 text-muted" role="status">
        {run.now}
      </p>
      {working && (
        <div className="mt-3">
          <ProgressBar value={whole > 0 ? 1 - left / whole : 0} label="The whole run" />
          <p className="num m-0 mt-1 flex items-center justify-between gap-2">
            about {aboutText(left)} left <TellWhenDone />
          </p>
        </div>
      )}
      <ol className="m-0 mt-3 flex list-none flex-col gap-1.5 p-0">
        {run.way.map((w) => (
          <li key={w.operationId} className="flex items-center gap-2">
            <StateGlyph state={GLYPHS[w.state]} color={w.state === 'running' ? 'var(--amber)' : 'var(--ink)'} />
            <Link
              to={`/pieces/${pieceId}/bench/${w.stage}`}
              className={`min-w-0 flex-1 truncate ${w.state === 'running' ? 'font-semibold text-ink' : 'text-ink'}`}
            >
              {w.title}
            </Link>
            <span className="num text-muted">{w.state === 'done' ? `${aboutText(w.seconds)}` : WORDS[w.state]}</span>
          </li>
        ))}
      </ol>
      {error !== undefined && <Notice tone="error">{problemText(error)}</Notice>}
      <div className="mt-3 flex gap-2">
        {working && (
          <Button
            disabled={isLoading}
            title="Nothing more is begun; what runs now goes on to its end"
            onClick={() => void pace({ pieceId, pace: 'pause' })}
          >
            <Pause size={15} /> Pause
          </Button>
        )}
        {working && running && (
          <Button onClick={() => void cancel(running.id)} aria-label={`Cancel: ${running.title}`}>
            Cancel step
          </Button>
        )}
        {run.status === 'paused' && (
          <Button tone="go" disabled={isLoading} onClick={() => void pace({ pieceId, pace: 'go-on' })}>
            <Play size={15} /> Go on
          </Button>
        )}
      </div>
    </section>
  );
}

const HEADS: Record<GuidedView['status'], string> = {
  working: 'At work',
  asking: 'A question',
  'waiting-for-scans': 'Waiting for scans',
  paused: 'Paused',
  done: 'Done',
};

/** The time, told anew twice a second while something runs. */
function useNow(ticking: boolean): number {
  const [now, setNow] = useState(Date.now);
  useEffect(() => {
    if (!ticking) return;
    const timer = setInterval(() => setNow(Date.now()), 500);
    return () => clearInterval(timer);
  }, [ticking]);
  return now;
}
