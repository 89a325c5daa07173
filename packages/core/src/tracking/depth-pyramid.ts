import type { Intrinsics } from '../geometry/depth-frame.js';
import { resizeIntrinsics } from '../geometry/depth-frame.js';
import type { ColorImage } from '../geometry/triangle-mesh.js';

/** A depth image as points and normals in the sensor's frame, three numbers a pixel; z = 0 where nothing is known. */
export interface DepthLevel {
  camera: Intrinsics;
  points: Float32Array;
  /** Unit, towards the sensor; zero where none could be found. */
  normals: Float32Array;
  /** Brightness over the mean of its surroundings less 1, a pixel; NaN where unknown; absent without colours. */
  contrast?: Float32Array;
}

/** The pixels of a level that have a normal, and how squarely each is seen: the squared cosine of the incidence. */
export interface Surfels {
  /** Three times the pixel's number: where its point begins. */
  starts: Int32Array;
  squareness: Float32Array;
}

const surfelsKnown = new WeakMap<DepthLevel, Surfels>();

/** A level's pixels with a normal; found once, since an alignment runs over them many times. O(pixels). */
export function surfelsOf(level: DepthLevel): Surfels {
  const known = surfelsKnown.get(level);
  if (known) return known;
  const { points: p, normals: n } = level;
  const starts = new Int32Array(p.length / 3);
  const squareness = new Float32Array(p.length / 3);
  let count = 0;
  for (let i = 0; i < p.length; i += 3) {
    if (n[i + 2] === 0) continue;
    const facing = n[i] * p[i] + n[i + 1] * p[i + 1] + n[i + 2] * p[i + 2];
    starts[count] = i;
    squareness[count++] = (facing * facing) / (p[i] * p[i] + p[i + 1] * p[i + 1] + p[i + 2] * p[i + 2]);
  }
  const surfels = { starts: starts.subarray(0, count), squareness: squareness.subarray(0, count) };
  surfelsKnown.set(level, surfels);
  return surfels;
}

/** Depths of neighbouring pixels that differ by more than this share of the distance lie on different surfaces. */
const STEP_RATIO = 0.02;

/**
 * The image in full size, then each time half as large. O(pixels).
 * @param skip so many of the largest are only stepped through: halving averages their noise away
 */
export function buildDepthPyramid(
  camera: Intrinsics,
  depth: Float32Array,
  levels: number,
  light?: Float32Array,
  skip = 0,
): DepthLevel[] {
  const out: DepthLevel[] = [];
  let size = camera;
  let z = depth;
  let l = light;
  for (let k = 0; k < levels + skip; k++) {
    if (k > 0) {
      l = l && halveLight(l, size.width, size.height);
      z = halve(z, size.width, size.height);
      size = resizeIntrinsics(size, size.width >> 1, size.height >> 1);
    }
    if (k < skip) continue;
    const contrast = l && localContrast(whereMeasured(l, z), size.width, size.height);
    if (contrast) forgetOutlines(contrast, z, 1, size.width, size.height);
    out.push({ ...levelOf(size, z), contrast });
  }
  return out;
}

/** The brightness where there is a depth: what lies beyond the object is no surrounding of it. */
function whereMeasured(light: Float32Array, depth: Float32Array): Float32Array {
  return light.map((l, i) => (depth[i] > 0 ? l : -1));
}

/**
 * Brightness of a colour image at the pixels of a depth image taken from the same place along the same axis: means
 * over the colour pixels that fall on each.
 */
export function lightAtDepthPixels(camera: Intrinsics, color: { camera: Intrinsics; image: ColorImage }): Float32Array {
  const { width, height } = camera;
  const { image } = color;
  const out = new Float32Array(width * height).fill(-1);
  const sx = color.camera.fx / camera.fx;
  const sy = color.camera.fy / camera.fy;
  const reach = Math.max(0, Math.floor((sx - 1) / 2));
  const { data } = image;
  const scale = 1 / (255 * (2 * reach + 1) ** 2);
  const columns = Int32Array.from({ length: width }, (_, u) => Math.round((u - camera.cx) * sx + color.camera.cx));
  for (let v = 0; v < height; v++) {
    const y = Math.round((v - camera.cy) * sy + color.camera.cy);
    if (y < reach || y >= image.height - reach) continue;
    for (let u = 0; u < width; u++) {
      const x = columns[u];
      if (x < reach || x >= image.width - reach) continue;
      let sum = 0;
      for (let dy = -reach; dy <= reach; dy++) {
        const from = 3 * ((y + dy) * image.width + x - reach);
        const end = from + 3 * (2 * reach + 1);
        for (let i = from; i < end; i += 3) sum += 0.3 * data[i] + 0.59 * data[i + 1] + 0.11 * data[i + 2];
      }
      out[v * width + u] = sum * scale;
    }
  }
  forgetGlare(out, width, height);
  return out;
}

/** Brightness from which a pixel is taken for a highlight. */
const GLARE = 0.93;

/**
 * Highlights move with the sensor and not with the surface: the brightness in and around them is forgotten (-1), as far
 * as their halo and the window of the local contrast reach. O(pixels).
 */
function forgetGlare(light: Float32Array, width: number, height: number): void {
  const glare = new Uint8Array(width * height);
  for (let i = 0; i < glare.length; i++) if (light[i] > GLARE) glare[i] = 1;
  const near = dilated(glare, width, height, Math.round(width / 13));
  for (let i = 0; i < near.length; i++) if (near[i] === 1) light[i] = -1;
}

/** Marks everything within a square reach of what is marked, pixels. O(pixels). */
function dilated(mask: Uint8Array, width: number, height: number, reach: number): Uint8Array {
  const rows = new Uint8Array(mask.length);
  for (let v = 0; v < height; v++) {
    let until = -1;
    for (let u = -reach; u < width; u++) {
      const ahead = u + reach;
      if (ahead < width && mask[v * width + ahead] === 1) until = ahead + reach;
      if (u >= 0 && u <= until) rows[v * width + u] = 1;
    }
  }
  const out = new Uint8Array(mask.length);
  for (let u = 0; u < width; u++) {
    let until = -1;
    for (let v = -reach; v < height; v++) {
      const ahead = v + reach;
      if (ahead < height && rows[ahead * width + u] === 1) until = ahead + reach;
      if (v >= 0 && v <= until) out[v * width + u] = 1;
    }
  }
  return out;
}

/**
 * Forgets the contrast beside depth steps: there the window reaches across two surfaces, and the outline of a round body
 * moves with the sensor. `z` holds a depth every `stride` numbers, from the last of each.
 */
export function forgetOutlines(
  contrast: Float32Array,
  z: Float32Array,
  stride: number,
  width: number,
  height: number,
): void {
  const steps = new Uint8Array(width * height);
  for (let v = 0; v < height; v++) {
    for (let u = 0; u < width; u++) {
      const i = v * width + u;
      const here = z[stride * i + stride - 1];
      if (here === 0) continue;
      // Two pixels on, so that a missing pixel between two surfaces hides no step.
      const right = u + 2 < width ? z[stride * (i + 2) + stride - 1] : 0;
      const below = v + 2 < height ? z[stride * (i + 2 * width) + stride - 1] : 0;
      const limit = 2 * STEP_RATIO * here;
      if (right > 0 && Math.abs(right - here) > limit) steps[i] = steps[i + 2] = 1;
      if (below > 0 && Math.abs(below - here) > limit) steps[i] = steps[i + 2 * width] = 1;
    }
  }
  const near = dilated(steps, width, height, Math.max(2, Math.round(width / 32)));
  for (let i = 0; i < near.length; i++) if (near[i] === 1) contrast[i] = NaN;
}

/**
 * Brightness over its local mean, less 1: what is painted on the surface remains, exposure and soft shading, which move
 * with the sensor and not with the surface, cancel. O(pixels) by sums over rectangles.
 */
export function localContrast(light: Float32Array, width: number, height: number): Float32Array {
  const reach = Math.max(2, Math.round(width / 32));
  const w = width + 1;
  const sums = new Float64Array(w * (height + 1));
  const counts = new Uint32Array(w * (height + 1));
  for (let v = 0; v < height; v++) {
    let sum = 0;
    let count = 0;
    for (let u = 0; u < width; u++) {
      const l = light[v * width + u];
      if (l >= 0) {
        sum += l;
        count++;
      }
      const at = (v + 1) * w + u + 1;
      sums[at] = sums[at - w] + sum;
      counts[at] = counts[at - w] + count;
    }
  }
  const out = new Float32Array(width * height).fill(NaN);
  for (let v = 0; v < height; v++) {
    const top = Math.max(0, v - reach) * w;
    const bottom = Math.min(height, v + reach + 1) * w;
    for (let u = 0; u < width; u++) {
      const l = light[v * width + u];
      if (!(l >= 0)) continue;
      const left = Math.max(0, u - reach);
      const right = Math.min(width, u + reach + 1);
      const count = counts[bottom + right] - counts[bottom + left] - counts[top + right] + counts[top + left];
      const sum = sums[bottom + right] - sums[bottom + left] - sums[top + right] + sums[top + left];
      // A window half outside of what is known is no fair mean.
      if (2 * count < (2 * reach + 1) ** 2 || sum < 0.03 * count) continue;
      out[v * width + u] = (l * count) / sum - 1;
    }
  }
  return out;
}

function halveLight(light: Float32Array, width: number, height: number): Float32Array {
  const w = width >> 1;
  const h = height >> 1;
  const out = new Float32Array(w * h);
  for (let v = 0; v < h; v++) {
    for (let u = 0; u < w; u++) {
      const i = 2 * v * width + 2 * u;
      const unknown = light[i] < 0 || light[i + 1] < 0 || light[i + width] < 0 || light[i + width + 1] < 0;
      out[v * w + u] = unknown ? -1 : (light[i] + light[i + 1] + light[i + width] + light[i + width + 1]) / 4;
    }
  }
  return out;
}

/** Points and normals of a depth image. */
export function levelOf(camera: Intrinsics, depth: Float32Array): DepthLevel {
  const { width, height, fx, fy, cx, cy } = camera;
  const points = new Float32Array(3 * width * height);
  for (let v = 0; v < height; v++) {
    for (let u = 0; u < width; u++) {
      const i = v * width + u;
      const z = depth[i];
      if (!(z > 0)) continue;
      points[3 * i] = ((u - cx) / fx) * z;
      points[3 * i + 1] = ((v - cy) / fy) * z;
      points[3 * i + 2] = z;
    }
  }
  return { camera, points, normals: normalsOfImage(points, width, height) };
}

/** Mean of each 2×2 block's depths that lie on the nearest one's surface; 0 if fewer than two were measured. */
function halve(depth: Float32Array, width: number, height: number): Float32Array {
  const w = width >> 1;
  const h = height >> 1;
  const out = new Float32Array(w * h);
  for (let v = 0; v < h; v++) {
    for (let u = 0; u < w; u++) {
      const i = 2 * v * width + 2 * u;
      let near = Infinity;
      for (let k = 0; k < 4; k++) {
        const z = depth[i + (k & 1) + (k >> 1) * width];
        if (z > 0 && z < near) near = z;
      }
      let sum = 0;
      let n = 0;
      for (let k = 0; k < 4; k++) {
        const z = depth[i + (k & 1) + (k >> 1) * width];
        if (z > 0 && z - near < STEP_RATIO * near) {
          sum += z;
          n++;
        }
      }
      if (n >= 2) out[v * w + u] = sum / n;
    }
  }
  return out;
}

/** Normals from central differences of the points, none across steps and at the border. */
export function normalsOfImage(points: Float32Array, width: number, height: number): Float32Array {
  const out = new Float32Array(points.length);
  for (let v = 1; v < height - 1; v++) {
    for (let u = 1; u < width - 1; u++) {
      const i = 3 * (v * width + u);
      const z = points[i + 2];
      if (z === 0) continue;
      const l = i - 3;
      const r = i + 3;
      const t = i - 3 * width;
      const b = i + 3 * width;
      const limit = STEP_RATIO * z;
      if (
        !near(points[l + 2], z, limit) ||
        !near(points[r + 2], z, limit) ||
        !near(points[t + 2], z, limit) ||
        !near(points[b + 2], z, limit)
      )
        continue;
      const ax = points[r] - points[l];
      const ay = points[r + 1] - points[l + 1];
      const az = points[r + 2] - points[l + 2];
      const bx = points[b] - points[t];
      const by = points[b + 1] - points[t + 1];
      const bz = points[b + 2] - points[t + 2];
      // Image axes X right, Y down, Z away: the product b × a points back to the sensor.
      const nx = by * az - bz * ay;
      const ny = bz * ax - bx * az;
      const nz = bx * ay - by * ax;
      const length = Math.sqrt(nx * nx + ny * ny + nz * nz);
      if (length === 0) continue;
      out[i] = nx / length;
      out[i + 1] = ny / length;
      out[i + 2] = nz / length;
    }
  }
  return out;
}

function near(z: number, to: number, limit: number): boolean {
  return z > 0 && z - to < limit && to - z < limit;
}

/** Mean square distance of what a level sees along its optical axis, mm², from every hundredth pixel; 0 if it sees nothing. */
export function meanSquareDepth({ points }: DepthLevel): number {
  let sum = 0;
  let n = 0;
  for (let i = 2; i < points.length; i += 300) {
    if (points[i] === 0) continue;
    sum += points[i] * points[i];
    n++;
  }
  return n > 0 ? sum / n : 0;
}
