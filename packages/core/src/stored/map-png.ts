import { decode, encode } from 'fast-png';
import type { BakedMap } from '../geometry/light-model.js';
import { GeometryError } from '../runtime/geometry-error.js';
import { assertPictureFits } from './picture-size.js';

/** What a picture of a map holds. */
export type MapPicture = Pick<BakedMap, 'width' | 'height' | 'channels' | 'data'>;

/** A map as a PNG, grey or in colour, of 8 or 16 bits. */
export function encodeMapPng({ width, height, channels, data }: MapPicture): Uint8Array {
  return encode({ width, height, data, channels, depth: data instanceof Uint16Array ? 16 : 8 });
}

/** @throws GeometryError `corrupt-file`, `too-large` before anything is unpacked */
export function decodeMapPng(png: Uint8Array, name: string): MapPicture {
  assertPictureFits(png, name);
  try {
    const { width, height, channels, data } = decode(png);
    if (channels !== 1 && channels !== 3) throw new Error('channels');
    return { width, height, channels, data: data instanceof Uint16Array ? data : Uint8Array.from(data) };
  } catch {
    throw new GeometryError('corrupt-file', `The map ${name} can't be read as a PNG picture.`);
  }
}
