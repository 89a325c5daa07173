import { BundleReader, type BundleHeader } from '@amber-knit/core/bundle';

type Columns = Record<string, Float32Array | Uint8Array | Uint16Array | Uint32Array>;

/** Streams a stored bundle, handing on each page as it arrives. @throws Error with the server's words */
export async function streamArtifact(
  id: string,
  signal: AbortSignal,
  onHeader: (header: BundleHeader) => void,
  onPage: (table: string, firstRow: number, rows: number, columns: Columns) => void,
): Promise<void> {
  const response = await fetch(`/api/artifacts/${id}/data`, { signal });
  if (!response.ok || !response.body) throw new Error(`The data could not be fetched (${response.status}).`);
  const reader = new BundleReader(onPage, onHeader);
  const stream = response.body.getReader();
  for (;;) {
    const { done, value } = await stream.read();
    if (done) break;
    reader.push(value);
  }
  if (!reader.complete) throw new Error('The data arrived incomplete. Reload the page.');
}
