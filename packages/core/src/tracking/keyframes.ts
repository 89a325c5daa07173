import { invertRigid, multiply, rotationAngle, type Mat4 } from '../math/mat4.js';
import type { ColorImage } from '../geometry/triangle-mesh.js';

const WIDTH = 20;
const HEIGHT = 15;

/** A small picture of what the sensor sees: depth relative to its middle, and brightness. */
export interface Thumbnail {
  depth: Float32Array;
  light?: Float32Array;
}

/** Frames that stand for the places the sensor has been; the way back when tracking was lost. */
export class Keyframes {
  private readonly list: { pose: Mat4; thumbnail: Thumbnail }[] = [];

  /** @param spacing (mm) and @param spacingRad how far a pose must be from all others to become a keyframe */
  constructor(
    private readonly spacing: number,
    private readonly spacingRad = 0.2,
  ) {}

  get size(): number {
    return this.list.length;
  }

  /** Keeps the frame if the sensor has not been near this pose. */
  offer(pose: Mat4, thumbnail: Thumbnail): void {
    const known = this.list.some((k) => {
      const delta = multiply(invertRigid(k.pose), pose);
      return Math.hypot(delta[12], delta[13], delta[14]) < this.spacing && rotationAngle(delta) < this.spacingRad;
    });
    if (!known) this.list.push({ pose, thumbnail });
  }

  /** Poses of the keyframes that look most like this, best first. O(keyframes). */
  mostAlike(thumbnail: Thumbnail, count: number): Mat4[] {
    return this.list
      .map((k) => ({ pose: k.pose, difference: difference(k.thumbnail, thumbnail) }))
      .sort((a, b) => a.difference - b.difference)
      .slice(0, count)
      .map((k) => k.pose);
  }
}

/**
 * Thumbnail of a depth image (mm) with its colour image.
 * Idea: G. Klein, D. Murray (2008), Improving the agility of keyframe-based SLAM (small blurred pictures for
 * relocalisation); B. Glocker, J. Shotton, A. Criminisi, S. Izadi (2015) for depth beside colour.
 */
export function thumbnailOf(depth: Float32Array, width: number, height: number, color?: ColorImage): Thumbnail {
  const out = new Float32Array(WIDTH * HEIGHT);
  const valid: number[] = [];
  for (let i = 0; i < out.length; i++) {
    const z = cellMean(depth, width, height, i, 1, 0);
    out[i] = z;
    if (z > 0) valid.push(z);
  }
  const middle = valid.sort((a, b) => a - b)[valid.length >> 1] ?? 0;
  for (let i = 0; i < out.length; i++) out[i] = out[i] > 0 ? Math.max(-1, Math.min(1, (out[i] - middle) / 100)) : 1;
  if (!color) return { depth: out };
  const light = new Float32Array(WIDTH * HEIGHT);
  let sum = 0;
  for (let i = 0; i < light.length; i++) {
    light[i] = cellMean(color.data, color.width, color.height, i, 3, 1) / 255;
    sum += light[i];
  }
  const mean = sum / light.length || 1;
  for (let i = 0; i < light.length; i++) light[i] /= mean;
  return { depth: out, light };
}

/** Mean of the values above zero in a cell of the thumbnail's grid. */
function cellMean(
  data: ArrayLike<number>,
  width: number,
  height: number,
  cell: number,
  stride: number,
  offset: number,
): number {
  const u0 = Math.floor(((cell % WIDTH) * width) / WIDTH);
  const u1 = Math.floor((((cell % WIDTH) + 1) * width) / WIDTH);
  const row = Math.floor(cell / WIDTH);
  const v0 = Math.floor((row * height) / HEIGHT);
  const v1 = Math.floor(((row + 1) * height) / HEIGHT);
  let sum = 0;
  let n = 0;
  for (let v = v0; v < v1; v += 2) {
    for (let u = u0; u < u1; u += 2) {
      const x = data[stride * (v * width + u) + offset];
      if (x > 0) {
        sum += x;
        n++;
      }
    }
  }
  return n > 0 ? sum / n : 0;
}

function difference(a: Thumbnail, b: Thumbnail): number {
  let sum = 0;
  for (let i = 0; i < a.depth.length; i++) sum += (a.depth[i] - b.depth[i]) ** 2;
  if (a.light && b.light) for (let i = 0; i < a.light.length; i++) sum += 0.5 * (a.light[i] - b.light[i]) ** 2;
  return sum;
}
