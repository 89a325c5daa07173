import { useEffect, useState } from 'react';
import { Button } from '../../shared/controls';

/** A part of the bench, by a selector, and what it is for. */
interface Stop {
  at: string;
  title: string;
  text: string;
}

/** What a newcomer should know of the bench, in the order in which it is met. */
export const STOPS: readonly Stop[] = [
  {
    at: 'nav[aria-label="Stages"]',
    title: 'Work goes from left to right',
    text: 'A filled dot is done, an open one is not yet. What is out of date because something before it has changed says so.',
  },
  {
    at: 'aside[aria-label="Strands"]',
    title: 'Every scan is a strand',
    text: 'Hide one, show only one, choose several. Its card holds name, setup and note; the small curve is how its frames went.',
  },
  {
    at: '[aria-label^="3D view"]',
    title: 'The piece as it stands',
    text: 'Drag to turn, wheel or pinch to come closer, F to see all. The bar above it chooses colours and looks, measures and cuts sections.',
  },
  {
    at: 'aside[aria-label$=": operations"]',
    title: 'What can be done here',
    text: 'Values are suggested from the data and stay open to change. The book says what the stage is for, and what goes wrong most often.',
  },
  {
    at: 'div[data-tour="ledger"]',
    title: 'Everything is written down',
    text: 'The ledger holds every step with its values; any can be undone, and any version gone back to. Remarks are for whoever looks after you.',
  },
  {
    at: 'header button[aria-label="Find"]',
    title: 'Lost? Say it in your own words',
    text: 'Ctrl K finds what you want to do, from anywhere, and goes there.',
  },
];

/** Goes round the bench: marks one part after the other and says what it is for. It can be left at any moment. */
export function Tour({ onEnd }: { onEnd(): void }) {
  const [at, setAt] = useState(0);
  const { at: selector, title, text } = STOPS[at];
  useEffect(() => {
    const part = document.querySelector(selector);
    part?.setAttribute('data-toured', '');
    return () => part?.removeAttribute('data-toured');
  }, [selector]);
  useEffect(() => {
    const onKey = (e: KeyboardEvent): void => {
      if (e.key === 'Escape') onEnd();
    };
    window.addEventListener('keydown', onKey);
    return () => window.removeEventListener('keydown', onKey);
  }, [onEnd]);
  const last = at === STOPS.length - 1;
  return (
    <section
      aria-label="A look round"
      aria-live="polite"
      className="fixed bottom-14 left-1/2 z-20 w-96 max-w-[92vw] -translate-x-1/2 rounded-xl border border-line bg-panel p-4 shadow-lg"
    >
      <h2 className="m-0 text-base font-semibold">{title}</h2>
      <p className="mb-3 mt-1">{text}</p>
      <div className="flex items-center gap-2">
        <span className="num flex-1 text-muted">
          {at + 1} of {STOPS.length}
        </span>
        {!last && (
          <Button tone="quiet" onClick={onEnd}>
            Leave
          </Button>
        )}
        {at > 0 && <Button onClick={() => setAt(at - 1)}>Back</Button>}
        <Button tone="go" autoFocus onClick={() => (last ? onEnd() : setAt(at + 1))}>
          {last ? 'Done' : 'Next'}
        </Button>
      </div>
    </section>
  );
}
