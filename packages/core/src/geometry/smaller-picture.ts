import { LIGHT_OF_SRGB, quickSrgbOfLight } from './srgb.js';
import type { BakedMap } from './light-model.js';
import type { ColorImage } from './triangle-mesh.js';

/** A picture of half the width and height: each pixel the mean of four, of their light, not of their bytes. O(pixels). */
export function halvedPicture({ width, height, data }: ColorImage): ColorImage {
  const [w, h] = [Math.max(1, width >> 1), Math.max(1, height >> 1)];
  const out = new Uint8Array(3 * w * h);
  for (let y = 0; y < h; y++) {
    for (let x = 0; x < w; x++) {
      const x1 = Math.min(width - 1, 2 * x + 1);
      const y1 = Math.min(height - 1, 2 * y + 1);
      for (let k = 0; k < 3; k++) {
        const at = (px: number, py: number): number => LIGHT_OF_SRGB[data[3 * (py * width + px) + k]];
        const light = (at(2 * x, 2 * y) + at(x1, 2 * y) + at(2 * x, y1) + at(x1, y1)) / 4;
        out[3 * (y * w + x) + k] = Math.round(quickSrgbOfLight(light));
      }
    }
  }
  return { width: w, height: h, data: out };
}

/** A map of half the width and height: each number the mean of four. O(pixels). */
export function halvedMap({ width, height, channels, data }: BakedMap): Pick<BakedMap, 'width' | 'height' | 'data'> {
  const [w, h] = [Math.max(1, width >> 1), Math.max(1, height >> 1)];
  const out = data instanceof Uint16Array ? new Uint16Array(channels * w * h) : new Uint8Array(channels * w * h);
  for (let y = 0; y < h; y++) {
    for (let x = 0; x < w; x++) {
      const x1 = Math.min(width - 1, 2 * x + 1);
      const y1 = Math.min(height - 1, 2 * y + 1);
      for (let k = 0; k < channels; k++) {
        const at = (px: number, py: number): number => data[channels * (py * width + px) + k];
        out[channels * (y * w + x) + k] = Math.round(
          (at(2 * x, 2 * y) + at(x1, 2 * y) + at(2 * x, y1) + at(x1, y1)) / 4,
        );
      }
    }
  }
  return { width: w, height: h, data: out };
}
