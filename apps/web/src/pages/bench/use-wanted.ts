import { useEffect, type RefObject } from 'react';
import { useSearchParams } from 'react-router';

/** How long what was looked for is marked, and how long it may take to come, ms. */
const MARKED = 4000;
const PATIENCE = 10_000;

/**
 * The part of a panel that the address asks for (`?at=`), by the name of its region: as soon as it is there it is brought into
 * sight and marked for a moment.
 */
export function useWanted(panel: RefObject<HTMLElement | null>): string | null {
  const [search] = useSearchParams();
  const wanted = search.get('at');
  useEffect(() => {
    if (!wanted) return;
    const since = Date.now();
    let marked: Element | undefined;
    let timer: number;
    const look = (): void => {
      const sections = [...(panel.current?.querySelectorAll('section') ?? [])];
      marked = sections.find((s) => s.getAttribute('aria-label') === wanted || s.dataset.place === wanted);
      if (!marked) {
        if (Date.now() - since < PATIENCE) timer = window.setTimeout(look, 100);
        return;
      }
      marked.scrollIntoView({ block: 'nearest' });
      marked.setAttribute('data-found', '');
      timer = window.setTimeout(() => marked?.removeAttribute('data-found'), MARKED);
    };
    look();
    return () => {
      window.clearTimeout(timer);
      marked?.removeAttribute('data-found');
    };
  }, [panel, wanted]);
  return wanted;
}
