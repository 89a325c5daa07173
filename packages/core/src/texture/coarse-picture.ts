import type { Intrinsics } from '../geometry/depth-frame.js';
import { LIGHT_OF_SRGB } from '../geometry/srgb.js';
import type { FrameView } from './frame-views.js';

/** Pictures are looked at this coarsely: neither noise nor a pose that is off by a pixel matters. */
const COARSE_WIDTH = 160;

/** A view's picture in linear light, each pixel the mean of a square of the picture's. */
export class CoarsePicture {
  private readonly camera: Intrinsics;
  private readonly light: Float32Array;

  constructor(private readonly view: FrameView) {
    const { camera, image } = view;
    const by = Math.max(1, Math.round(image.width / COARSE_WIDTH));
    const width = Math.floor(image.width / by);
    const height = Math.floor(image.height / by);
    const light = new Float32Array(3 * width * height);
    const share = 1 / (by * by);
    for (let y = 0; y < height * by; y++) {
      for (let x = 0; x < width * by; x++) {
        const to = 3 * (Math.floor(y / by) * width + Math.floor(x / by));
        const from = 3 * (y * image.width + x);
        for (let k = 0; k < 3; k++) light[to + k] += share * LIGHT_OF_SRGB[image.data[from + k]];
      }
    }
    this.camera = {
      width,
      height,
      fx: camera.fx / by,
      fy: camera.fy / by,
      cx: (camera.cx + 0.5) / by - 0.5,
      cy: (camera.cy + 0.5) / by - 0.5,
    };
    this.light = light;
  }

  /** Bilinear light (0–1, three channels) at a point of the piece. @returns false outside the picture */
  lightAt(x: number, y: number, z: number, out: Float64Array): boolean {
    const { camera, light } = this;
    const m = this.view.sensorFromPiece;
    const d = m[2] * x + m[6] * y + m[10] * z + m[14];
    const u = (camera.fx * (m[0] * x + m[4] * y + m[8] * z + m[12])) / d + camera.cx;
    const v = (camera.fy * (m[1] * x + m[5] * y + m[9] * z + m[13])) / d + camera.cy;
    if (!(d > 0 && u >= 0 && v >= 0 && u < camera.width - 1 && v < camera.height - 1)) return false;
    const u0 = u | 0;
    const v0 = v | 0;
    const a = u - u0;
    const b = v - v0;
    const at = 3 * (v0 * camera.width + u0);
    const below = at + 3 * camera.width;
    for (let k = 0; k < 3; k++) {
      out[k] =
        (light[at + k] * (1 - a) + light[at + 3 + k] * a) * (1 - b) +
        (light[below + k] * (1 - a) + light[below + 3 + k] * a) * b;
    }
    return true;
  }
}
