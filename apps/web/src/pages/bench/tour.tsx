import { useEffect, useState } from 'react';
import { Button } from '../../shared/controls';
import { STOPS } from './tour-stops';

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
