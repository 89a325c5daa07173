import { faultOfHandEdits, MOST_EDITS, type HandEdit } from '@amber-knit/core/handwork';

/** Work by hand that is not kept as a step yet, in the browser's own store: a closed page loses none of it. */
const KEY = 'amber-knit handwork';
/** Of so many surfaces. */
const MOST = 5;

type Kept = [meshId: string, edits: HandEdit[]][];

function all(): Kept {
  try {
    const value = JSON.parse(localStorage.getItem(KEY) ?? '[]') as unknown;
    return Array.isArray(value) ? (value as Kept) : [];
  } catch {
    return [];
  }
}

/** The edits begun on a surface; none if what is kept can't be read. */
export function keptEdits(meshId: string): HandEdit[] {
  const edits = all().find(([id]) => id === meshId)?.[1] ?? [];
  return faultOfHandEdits(edits) === undefined ? edits : [];
}

/** Keeps the edits of a surface, the newest surfaces first; none forgets them. */
export function keepEdits(meshId: string, edits: readonly HandEdit[]): void {
  const others = all().filter(([id]) => id !== meshId);
  const kept = edits.length > 0 ? [[meshId, edits], ...others].slice(0, MOST) : others;
  try {
    localStorage.setItem(KEY, JSON.stringify(kept));
  } catch {
    // A full store: the work goes on, it only does not outlive the page.
  }
}

/** Characters of the edits of one step at most: half of what the server takes. */
const MOST_SENT = 4_000_000;

/** Edits in parts that each can be sent as a step; nearly always a single one. */
export function inParts(edits: readonly HandEdit[]): HandEdit[][] {
  const parts: HandEdit[][] = [];
  let room = 0;
  for (const edit of edits) {
    const size = JSON.stringify(edit).length;
    if (size > room || parts[parts.length - 1].length >= MOST_EDITS) {
      parts.push([]);
      room = MOST_SENT;
    }
    parts[parts.length - 1].push(edit);
    room -= size;
  }
  return parts;
}
