import { encodeFrames } from '@amber-knit/core/stored';
import type { DepthFrame } from '@amber-knit/core/geometry';

/** A frame or a packed picture to store, or frames to take back again, in the order in which they were asked for. */
export type KeepRequest =
  | { captureId: string; sequence: number; frame: DepthFrame }
  | { captureId: string; sequence: number; picture: Uint8Array }
  | { captureId: string; takeBack: number };

/**
 * How far storing has come. `trouble` is set while the server can't be reached or has no room (nothing is lost, it is
 * tried again), and stays set once a frame was refused.
 */
export interface KeepReport {
  stored: number;
  /** Not wanted by the server; dropped. */
  refused: number;
  waiting: number;
  trouble: string | null;
}

const INSUFFICIENT_STORAGE = 507;
const waiting: KeepRequest[] = [];
let stored = 0;
let refused = 0;
let working = false;
let refusal: string | null = null;
const report = (trouble: string | null): void =>
  postMessage({ stored, refused, waiting: waiting.length, trouble } satisfies KeepReport);

onmessage = (e: MessageEvent<KeepRequest>) => {
  waiting.push(e.data);
  if (!working) void work();
};

/** Stores the waiting frames one after the other; a frame leaves the list only once the server has it. */
async function work(): Promise<void> {
  working = true;
  while (waiting.length > 0) {
    const { path, init, isFrame } = requestFor(waiting[0]);
    let why = 'The server does not answer.';
    for (let patience = 500; ; patience = Math.min(8000, 2 * patience)) {
      try {
        const answer = await fetch(path, init);
        if (answer.ok) {
          if (isFrame) stored++;
          break;
        }
        // The server has understood and does not want it: trying again would not help.
        const { detail } = (await answer.json().catch(() => ({}))) as { detail?: string };
        if (answer.status < 500) {
          if (isFrame) refused++;
          refusal = detail ?? 'The server refused a frame.';
          break;
        }
        if (answer.status === INSUFFICIENT_STORAGE && detail) why = detail;
      } catch {
        why = 'The server does not answer.';
      }
      report(`${why} Frames wait here and are sent as soon as it can take them.`);
      await new Promise((r) => setTimeout(r, patience));
    }
    waiting.shift();
    report(refusal);
  }
  working = false;
}

/** What is asked of the server. A frame is written out only when its turn has come, and plainly: tracking needs the time. */
function requestFor(r: KeepRequest): { path: string; init: RequestInit; isFrame: boolean } {
  const to = `/api/captures/${r.captureId}`;
  if ('takeBack' in r) {
    const headers = { 'content-type': 'application/json' };
    const body = JSON.stringify({ from: r.takeBack });
    return { path: `${to}/take-back`, init: { method: 'POST', headers, body }, isFrame: false };
  }
  const headers = { 'content-type': 'application/octet-stream' };
  const body = ('picture' in r ? r.picture : encodeFrames([r.frame], true)) as Uint8Array<ArrayBuffer>;
  return { path: `${to}/frames/${r.sequence}`, init: { method: 'PUT', headers, body }, isFrame: true };
}
