import { Readable } from 'node:stream';
import type yazl from 'yazl';
import type { BlobStore } from '../storage/blob-store.js';

/** Stored bytes and where they lie in a zip. */
export interface StoredEntry {
  sha256: string;
  bytes: number;
  path: string;
}

/**
 * Ends a zip with what is stored, as a stream: nothing of it is held but a chunk. An error ends the stream. It is not packed
 * any more: most of it is as far as it goes already.
 */
export function endWithStored(zip: yazl.ZipFile, entries: readonly StoredEntry[], blobs: BlobStore): Readable {
  for (const { sha256, bytes, path } of entries)
    zip.addReadStreamLazy(path, { compress: false, size: bytes }, (take) =>
      take(null, Readable.from(blobs.chunks(sha256), { objectMode: false })),
    );
  zip.end();
  const out = zip.outputStream as Readable;
  zip.on('error', (e: Error) => out.destroy(e));
  return out;
}
