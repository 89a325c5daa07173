import { GeometryError } from '../runtime/geometry-error.js';

/** Pixels that a picture may have: a little more than 8192 × 8192. A few kilobytes can claim any number of them. */
export const MOST_PIXELS = 70_000_000;

/**
 * Size of a PNG or JPEG as its header tells it, without unpacking anything; nothing if it tells none.
 * Sources: PNG specification (W3C), 11.2.2 IHDR; ITU-T T.81 (JPEG), B.2.2 frame header.
 */
export function pictureSize(bytes: Uint8Array): { width: number; height: number } | undefined {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  if (bytes.length >= 24 && view.getUint32(0) === 0x89504e47)
    return { width: view.getUint32(16), height: view.getUint32(20) };
  if (bytes.length < 4 || view.getUint16(0) !== 0xffd8) return undefined;
  for (let at = 2; at + 9 < bytes.length;) {
    if (bytes[at] !== 0xff) return undefined;
    const marker = bytes[at + 1];
    // Fill bytes, and markers without a length.
    if (marker === 0xff || (marker >= 0xd0 && marker <= 0xd9) || marker === 0x01) {
      at += marker === 0xff ? 1 : 2;
      continue;
    }
    const isFrame = marker >= 0xc0 && marker <= 0xcf && marker !== 0xc4 && marker !== 0xc8 && marker !== 0xcc;
    if (isFrame) return { width: view.getUint16(at + 7), height: view.getUint16(at + 5) };
    at += 2 + view.getUint16(at + 2);
  }
  return undefined;
}

/** @throws GeometryError `too-large` if a picture claims more pixels than any use of it needs */
export function assertPictureFits(bytes: Uint8Array, name: string): void {
  const size = pictureSize(bytes);
  if (size && size.width * size.height > MOST_PIXELS) {
    throw new GeometryError(
      'too-large',
      `${name} measures ${size.width}×${size.height} pixels; ${MOST_PIXELS / 1e6} million are the most. Make it smaller and bring it in again.`,
    );
  }
}
