/**
 * Files that were on their way in when their page was closed or loaded anew. What is being sent is noted in the
 * browser's storage under the page that sends it; a page that lives holds a lock of its name, so that what other pages
 * are sending now is not taken for cut off.
 */
const NOTE = 'amber-sending:';

interface Sending {
  pieceId: string;
  name: string;
}

let page: string | undefined;
let noted = 0;

/** The name of this page, held for as long as it lives. */
function thisPage(): string {
  if (page === undefined) {
    page = `${NOTE}${crypto.randomUUID()}`;
    void navigator.locks.request(page, () => new Promise<void>(() => undefined));
  }
  return page;
}

/** Notes that a file is being sent. Returns what says that it has come to its end, well or not. */
export function noteSending(pieceId: string, name: string): () => void {
  const key = `${thisPage()}/${noted++}`;
  localStorage.setItem(key, JSON.stringify({ pieceId, name } satisfies Sending));
  return () => localStorage.removeItem(key);
}

/**
 * Tells the name of each file of a piece that a page was sending which is no more, once; of pages that still live as
 * soon as they end. Returns what ends the waiting.
 */
export function watchCutOff(pieceId: string, tell: (name: string) => void): () => void {
  const waiting = new AbortController();
  const notes = Object.keys(localStorage).filter((key) => key.startsWith(NOTE));
  for (const other of new Set(notes.map((key) => key.slice(0, key.lastIndexOf('/'))))) {
    if (other === page) continue;
    navigator.locks
      .request(other, { signal: waiting.signal }, () => takeNotes(other, pieceId).forEach(tell))
      .catch(() => undefined);
  }
  return () => waiting.abort();
}

/** Names of the files of a piece that a page was sending, which are forgotten with that. */
function takeNotes(other: string, pieceId: string): string[] {
  const names: string[] = [];
  for (const key of Object.keys(localStorage)) {
    if (!key.startsWith(`${other}/`)) continue;
    const sending = JSON.parse(localStorage.getItem(key) ?? '{}') as Partial<Sending>;
    if (sending.pieceId !== pieceId) continue;
    localStorage.removeItem(key);
    names.push(sending.name ?? 'A file');
  }
  return names.sort();
}
