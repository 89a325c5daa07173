import { useEffect, useRef } from 'react';
import type { StepView } from '@amber-knit/contracts';
import { Button } from './controls';
import { pageTitle } from './page-title';
import { Settings, useStore } from './store';

/** Whether the person wants to be told by the browser when work has ended that they do not look at. */
const KEPT = 'amber-knit tell-when-done';
export const tellWhenDone = new Settings<{ wanted: boolean }>({ wanted: localStorage.getItem(KEPT) === 'yes' });

/** Work on a piece, as the tab's title has it. */
export interface Work {
  /** What is being done and how far it is; null if nothing is. */
  doing: string | null;
  /** How what was done last has ended; undefined if there is nothing to tell. */
  outcome?: string;
}

/** Steps of a piece as work. */
export function workOf(steps: readonly StepView[] | undefined): Work {
  const current = steps?.find((s) => s.status === 'running') ?? steps?.find((s) => s.status === 'queued');
  if (current) return { doing: `${Math.round(100 * current.progress)} % ${current.title}` };
  const ended = steps?.filter((s) => s.finishedAt).sort((a, b) => a.finishedAt!.localeCompare(b.finishedAt!));
  const last = ended?.at(-1);
  const word = last?.status === 'done' ? 'Done' : last?.status === 'failed' ? 'Failed' : undefined;
  return { doing: null, ...(word ? { outcome: `${word}: ${last!.title}` } : {}) };
}

/**
 * Says in the tab's title how far work is and, to who was elsewhere when it ended, how it did, until they look; by a notification
 * too if they asked for it.
 * @param about name of the piece
 */
export function useWorkNotice(about: string, { doing, outcome }: Work): void {
  const before = useRef<string | null>(null);
  useEffect(() => {
    const hasEnded = before.current !== null && doing === null;
    before.current = doing;
    if (doing !== null || !hasEnded || !document.hidden || !outcome) {
      if (doing !== null || !document.hidden) pageTitle.set({ work: doing });
      return;
    }
    pageTitle.set({ work: outcome });
    if (tellWhenDone.current().wanted && notices()?.permission === 'granted')
      new Notification(outcome, { body: about, tag: 'amber-knit' });
  }, [about, doing, outcome]);
  useEffect(() => {
    const onSeen = (): void => {
      if (!document.hidden && before.current === null) pageTitle.set({ work: null });
    };
    document.addEventListener('visibilitychange', onSeen);
    return () => {
      document.removeEventListener('visibilitychange', onSeen);
      pageTitle.set({ work: null });
    };
  }, []);
}

/** Browsers tell only where the page came over a safe way. */
const notices = (): typeof Notification | undefined => ('Notification' in window ? Notification : undefined);

/** Turns telling on, asking the browser for leave, or off. */
export function TellWhenDone() {
  const { wanted } = useStore(tellWhenDone);
  const browser = notices();
  if (!browser || browser.permission === 'denied') return null;
  const isOn = wanted && browser.permission === 'granted';
  const turn = async (): Promise<void> => {
    const on = !isOn && (await browser.requestPermission()) === 'granted';
    localStorage.setItem(KEPT, on ? 'yes' : 'no');
    tellWhenDone.set({ wanted: on });
  };
  return (
    <Button
      aria-pressed={isOn}
      title="The browser says so when this ends while you look at something else"
      className={isOn ? 'border-teal! bg-teal-soft!' : ''}
      onClick={() => void turn()}
    >
      Tell me
    </Button>
  );
}
