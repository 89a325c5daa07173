import type { ScanView } from '@amber-knit/contracts';
import { artifactUrl } from '../api/artifact-url';
import { BundleReader, type BundleHeader } from '@amber-knit/core/bundle';
import type { BitSet } from '@amber-knit/core/geometry';
import { decodeCut } from '@amber-knit/core/stored';

type Columns = Record<string, Float32Array | Uint8Array | Uint16Array | Uint32Array>;

/** What is asked for before anything can show it, so that it is under way while the view is made. */
const early = new Map<string, Promise<Response>>();
/** What nobody asked for until then is let go. */
const EARLY_MS = 10_000;

/** Begins to fetch a stored bundle that is about to be shown: the next `streamArtifact` of it takes over. */
export function fetchEarly(id: string): void {
  if (early.has(id)) return;
  const stop = new AbortController();
  const response = fetch(artifactUrl(id), { signal: stop.signal });
  // Whoever takes over hears of it.
  response.catch(() => undefined);
  early.set(id, response);
  setTimeout(() => early.delete(id) && stop.abort(), EARLY_MS);
}

function takeEarly(id: string): Promise<Response> | undefined {
  const response = early.get(id);
  early.delete(id);
  return response;
}

/** Streams a stored bundle, handing on each page as it arrives. @throws Error with the server's words */
export async function streamArtifact(
  id: string,
  signal: AbortSignal,
  onHeader: (header: BundleHeader) => void,
  onPage: (table: string, firstRow: number, rows: number, columns: Columns) => void,
): Promise<void> {
  const response = await (takeEarly(id) ?? fetch(artifactUrl(id), { signal }));
  if (!response.ok || !response.body) throw new Error(`The data could not be fetched (${response.status}).`);
  const reader = new BundleReader(onPage, onHeader);
  const stream = response.body.getReader();
  for (;;) {
    // What was begun early knows nothing of this signal.
    if (signal.aborted) void stream.cancel().catch(() => undefined);
    signal.throwIfAborted();
    const { done, value } = await stream.read();
    if (done) break;
    reader.push(value);
  }
  if (!reader.complete) throw new Error('The data arrived incomplete. Reload the page.');
}

/** Which artifacts hold a scan's points: the stored cloud, and the cut that says what is left of it. */
export interface CloudSource {
  base: string;
  cut?: string;
}

export function cloudSource({ cloud }: ScanView): CloudSource {
  const base = cloud.facts.base as string | undefined;
  return base ? { base, cut: cloud.id } : { base: cloud.id };
}

/** Cuts kept at hand, so that undo and redo need not fetch them. */
const MOST_CUTS = 40;
const cuts = new Map<string, Promise<BitSet>>();

/** The points that a cut leaves of its stored cloud; never to be changed. @throws Error with the server's words */
export function loadCut(id: string): Promise<BitSet> {
  const known = cuts.get(id);
  if (known) return known;
  const loading = fetchCut(id);
  loading.catch(() => cuts.delete(id));
  cuts.set(id, loading);
  if (cuts.size > MOST_CUTS) cuts.delete(cuts.keys().next().value!);
  return loading;
}

async function fetchCut(id: string): Promise<BitSet> {
  return decodeCut(await fetchData(id)).kept;
}

/** All bytes of a stored artifact. @throws Error with the server's words */
export async function fetchData(id: string): Promise<Uint8Array> {
  const response = await fetch(artifactUrl(id));
  if (!response.ok) throw new Error(`The data could not be fetched (${response.status}).`);
  return new Uint8Array(await response.arrayBuffer());
}
