import { bundleOfChunks, decodeBundle, encodeBundle } from '../bundle/bundle.js';
import type { DepthFrame } from '../geometry/depth-frame.js';
import { GeometryError } from '../runtime/geometry-error.js';
import { decodeFrames } from './stored-artifacts.js';

/** A recorded capture: the frames kept while scanning, each as stored by `encodeFrames`, in their order. */
export interface CaptureFile {
  /** Device, setup and the like, for the record. */
  meta: Record<string, unknown>;
  frames: DepthFrame[];
}

/** Packs stored frames into one file without unpacking them. */
export function encodeCapture(parts: Uint8Array[], meta: Record<string, unknown>): Uint8Array {
  return encodeBundle(
    'capture',
    meta,
    parts.map((data, i) => ({
      name: `frame ${i}`,
      rows: data.length,
      pageRows: Math.max(1, data.length),
      columns: [{ name: 'bundle', data, size: 1 }],
    })),
  );
}

/**
 * The same file part by part, so that its frames need not be held at once.
 * @param lengths of the stored frames, bytes
 * @param read gives one of them
 */
export function captureParts(
  lengths: readonly number[],
  read: (index: number) => Promise<Uint8Array>,
  meta: Record<string, unknown>,
): AsyncGenerator<Uint8Array> {
  const chunks = lengths.map((length, i) => ({ name: `frame ${i}`, length }));
  return bundleOfChunks('capture', meta, chunks, read);
}

/** @throws GeometryError `empty-input` without frames, `corrupt-file` if the bytes are no capture */
export function decodeCapture(bytes: Uint8Array): CaptureFile {
  const { header, tables } = decodeBundle(bytes);
  if (header.kind !== 'capture') {
    throw new GeometryError('corrupt-file', `This is a stored ${header.kind}, not a recorded capture.`);
  }
  const frames = Object.values(tables).flatMap((t) => decodeFrames(t.bundle as Uint8Array));
  if (frames.length === 0) {
    throw new GeometryError('empty-input', 'The capture holds no frame. Scan for a moment before finishing.');
  }
  return { meta: header.meta, frames };
}
