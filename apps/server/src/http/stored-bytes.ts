import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { create as contentDisposition } from 'content-disposition';
import type { Request, Response } from 'express';
import parseRange from 'range-parser';
import type { BlobStore } from '../storage/blob-store.js';

/** Stored bytes as an answer is to give them. */
export interface StoredBytes {
  sha256: string;
  type: string;
  /** They are a file to be saved under this name, in whatever script it is written. */
  saveAs?: string;
  /** How long a browser may keep them; for good if it is left away. */
  cache?: string;
}

/**
 * Answers with stored bytes, streamed. They never change, so a browser may keep them for good (`ETag`, RFC 9110 §8.8.3), and a
 * download that broke off can go on where it stopped (`Range`, one range, RFC 9110 §14).
 */
export async function sendStored(
  blobs: BlobStore,
  { sha256, type, saveAs, cache = 'public, max-age=31536000, immutable' }: StoredBytes,
  request: Request,
  response: Response,
): Promise<void> {
  const size = await blobs.size(sha256);
  if (size === undefined) throw new Error(`Blob ${sha256} does not exist.`);
  const tag = `"${sha256}"`;
  response.set({
    'Cache-Control': cache,
    ETag: tag,
    'Accept-Ranges': 'bytes',
    // RFC 6266 and 5987: a plain name and, where that does not do, one in UTF-8.
    ...(saveAs === undefined ? {} : { 'Content-Disposition': contentDisposition(saveAs) }),
  });
  if (request.fresh) {
    response.status(304).end();
    return;
  }
  response.type(type);
  const ifRange = request.get('If-Range');
  const wanted = request.headers.range && (!ifRange || ifRange === tag) ? parseRange(size, request.headers.range) : -2;
  if (wanted === -1) {
    response.set('Content-Range', `bytes */${size}`).status(416).end();
    return;
  }
  // A header that is none, or asks for several ranges, is answered as if there were none: allowed, and simple.
  const range = Array.isArray(wanted) && wanted.length === 1 && wanted.type === 'bytes' ? wanted[0] : undefined;
  if (range) response.status(206).set('Content-Range', `bytes ${range.start}-${range.end}/${size}`);
  const [from, to] = range ? [range.start, range.end + 1] : [0, size];
  response.set('Content-Length', String(to - from));
  if (request.method === 'HEAD') {
    response.end();
    return;
  }
  // Whoever goes away in the middle is no fault of the server.
  await pipeline(Readable.from(blobs.range(sha256, from, to)), response).catch(() => response.destroy());
}
