import { useSyncExternalStore } from 'react';

/** A value that changes, and who wants to hear of it. What talks to a worker or a device holds its state in one. */
export class Store<T> {
  private readonly listeners = new Set<() => void>();

  constructor(protected state: T) {}

  readonly subscribe = (listener: () => void): (() => void) => {
    this.listeners.add(listener);
    return () => this.listeners.delete(listener);
  };

  readonly current = (): T => this.state;

  /** Takes the new state and tells all. */
  protected put(state: T): void {
    this.state = state;
    this.listeners.forEach((listener) => listener());
  }
}

/** A store that anybody may write to: settings of a panel that the view follows. */
export class Settings<T extends object> extends Store<T> {
  set(change: Partial<T>): void {
    this.put({ ...this.state, ...change });
  }
}

/** Something that can be looked at and followed: a store, or a part of one. */
export type Watch<T> = Pick<Store<T>, 'subscribe' | 'current'>;

/** A part of what is followed. */
export const watch = <T, S>(whole: Watch<T>, part: (state: T) => S): Watch<S> => ({
  subscribe: whole.subscribe,
  current: () => part(whole.current()),
});

/** Whether one of two things holds. */
export const either = (a: Watch<boolean>, b: Watch<boolean>): Watch<boolean> => ({
  subscribe: (listener) => {
    const ends = [a.subscribe(listener), b.subscribe(listener)];
    return () => ends.forEach((end) => end());
  },
  current: () => a.current() || b.current(),
});

/** The state, or a part of it, followed by the component. */
export function useStore<T, S = T>(store: Watch<T>, part: (state: T) => S = (s) => s as unknown as S): S {
  return useSyncExternalStore(store.subscribe, () => part(store.current()));
}
