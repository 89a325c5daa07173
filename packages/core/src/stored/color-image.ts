import { decode as decodePng, encode as encodePng } from 'fast-png';
import jpeg from 'jpeg-js';
import type { ColorImage } from '../geometry/triangle-mesh.js';
import { GeometryError } from '../runtime/geometry-error.js';
import { assertPictureFits } from './picture-size.js';

/** Decodes an 8-bit PNG or a JPEG to RGB. @throws GeometryError `corrupt-file`, `too-large` before anything is unpacked */
export function decodeColor(bytes: Uint8Array, name: string): ColorImage {
  assertPictureFits(bytes, name);
  try {
    if (bytes[0] === 0xff && bytes[1] === 0xd8) {
      const { width, height, data } = jpeg.decode(bytes, {
        useTArray: true,
        maxResolutionInMP: 100,
        maxMemoryUsageInMB: 1024,
      });
      return { width, height, data: dropAlpha(data, 4) };
    }
    const image = decodePng(bytes);
    if (image.depth !== 8) throw new Error('depth');
    if (image.channels < 3) {
      const data = new Uint8Array(3 * image.width * image.height);
      for (let i = 0; i < image.width * image.height; i++)
        data.fill((image.data as Uint8Array)[i * image.channels], 3 * i, 3 * i + 3);
      return { width: image.width, height: image.height, data };
    }
    return { width: image.width, height: image.height, data: dropAlpha(image.data as Uint8Array, image.channels) };
  } catch {
    throw new GeometryError('corrupt-file', `${name} can't be read as a PNG or JPEG picture of 8 bits.`);
  }
}

/** Encodes RGB as an 8-bit PNG. */
export function encodeColorPng(image: ColorImage): Uint8Array {
  return encodePng({ width: image.width, height: image.height, data: image.data, channels: 3, depth: 8 });
}

/** Encodes RGB as a JPEG; quality 0–100. */
export function encodeColorJpeg(image: ColorImage, quality = 92): Uint8Array {
  const rgba = new Uint8Array(4 * image.width * image.height).fill(255);
  for (let i = 0; i < image.width * image.height; i++)
    for (let k = 0; k < 3; k++) rgba[4 * i + k] = image.data[3 * i + k];
  return new Uint8Array(jpeg.encode({ width: image.width, height: image.height, data: rgba }, quality).data);
}

function dropAlpha(data: ArrayLike<number>, channels: number): Uint8Array {
  const n = data.length / channels;
  const out = new Uint8Array(3 * n);
  for (let i = 0; i < n; i++) for (let k = 0; k < 3; k++) out[3 * i + k] = data[channels * i + k];
  return out;
}
