import { useState, type KeyboardEvent } from 'react';
import { useAppDispatch } from '../app/store';
import { scanHidden, scanIsolated } from '../app/view-slice';
import { strandAction } from './strand-keys';

/** The strand that an element of the list names, if it does. */
const strandOf = (e: { target: EventTarget }): string | undefined => (e.target as HTMLElement).dataset.strand;

/**
 * Keys in the list of strands: only one strand's buttons are reached with Tab, the arrows go to the others.
 *
 * @returns the strand that Tab reaches, and what the list's element has to hear
 */
export function useStrandKeys(
  shown: readonly string[],
  setChosen: (next: (ids: readonly string[]) => readonly string[]) => void,
  open: (id: string) => void,
): {
  current: string | undefined;
  onKeyDown: (e: KeyboardEvent<HTMLElement>) => void;
  onFocus: (e: { target: EventTarget }) => void;
} {
  const dispatch = useAppDispatch();
  const [last, setLast] = useState<string | null>(null);
  const onKeyDown = (e: KeyboardEvent<HTMLElement>): void => {
    const at = strandOf(e);
    const action = at === undefined ? undefined : strandAction(e, shown, at);
    if (at === undefined || !action) return;
    e.preventDefault();
    const choose = (ids: readonly string[]): void => setChosen((before) => [...new Set([...before, ...ids])]);
    const focus = (id: string): void =>
      e.currentTarget.querySelector<HTMLElement>(`[data-strand="${CSS.escape(id)}"]`)?.focus();
    if (action.kind === 'go') focus(action.to);
    else if (action.kind === 'choose') {
      choose(action.ids);
      focus(action.to);
    } else if (action.kind === 'toggle') {
      setChosen((before) => (before.includes(at) ? before.filter((id) => id !== at) : [...before, at]));
    } else if (action.kind === 'hide') dispatch(scanHidden(at));
    else if (action.kind === 'alone') dispatch(scanIsolated(at));
    else if (action.kind === 'open') open(at);
    else if (action.kind === 'choose-all') choose(shown);
    else setChosen(() => []);
  };
  return {
    current: last !== null && shown.includes(last) ? last : shown[0],
    onKeyDown,
    onFocus: (e) => {
      const at = strandOf(e);
      if (at !== undefined) setLast(at);
    },
  };
}
