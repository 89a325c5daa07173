import type { ColorImage } from '../geometry/triangle-mesh.js';

export type LaserColor = 'red' | 'green' | 'blue';

/** How the laser's light is told from all other light. */
export interface LaserLightOptions {
  color: LaserColor;
  /** Share of the strongest other colour that is taken off, 0–1: white and grey light vanishes as it nears 1. */
  suppression: number;
}

export const LASER_LIGHT_DEFAULTS: LaserLightOptions = { color: 'red', suppression: 0.9 };

const CHANNEL: Record<LaserColor, number> = { red: 0, green: 1, blue: 2 };

/** What is left of a picture when light of other colours is taken off, 0–255, one value a pixel. O(pixels). */
export function laserLight(image: ColorImage, options: LaserLightOptions, out: Float32Array): Float32Array {
  const { data } = image;
  const c = CHANNEL[options.color];
  const a = (c + 1) % 3;
  const b = (c + 2) % 3;
  const share = options.suppression;
  for (let i = 0, j = 0; j < data.length; i++, j += 3) {
    const other = data[j + a] > data[j + b] ? data[j + a] : data[j + b];
    const v = data[j + c] - share * other;
    out[i] = v > 0 ? v : 0;
  }
  return out;
}

/** True where the laser's own channel is full. */
export function isBurnt(image: ColorImage, color: LaserColor, column: number, row: number): boolean {
  return image.data[3 * (row * image.width + column) + CHANNEL[color]] >= 254;
}
