import type { FromWork } from './work-client';

/**
 * Answers what a `WorkClient` asks, in a worker: one after the other, in the order asked, each followed by how the work stands.
 * @param answer does what is asked; may fail in words
 * @param standing how the work stands; notes are told once
 */
export function serveWork<To, E>(
  answer: (m: To) => Promise<void>,
  standing: () => Omit<Extract<FromWork<E>, { tell: 'done' }>, 'tell'>,
): void {
  const post = (m: FromWork<E>): void => (self as unknown as Worker).postMessage(m);
  let queue = Promise.resolve();
  self.onmessage = ({ data }: MessageEvent<To>): void => {
    queue = queue
      .then(() => answer(data))
      .catch((e: unknown) => post({ tell: 'failed', reason: wordsOf(e) }))
      .then(() => post({ tell: 'done', ...standing() }));
  };
}

export const wordsOf = (e: unknown): string => (e instanceof Error ? e.message : String(e));
