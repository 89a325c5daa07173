import { LIGHT_OF_SRGB } from '../geometry/srgb.js';
import type { TriangleMesh } from '../geometry/triangle-mesh.js';
import { createRandom } from '../math/random.js';
import { fromTwist, multiply, transformPoint, type Mat4, type Vec3 } from '../math/mat4.js';
import { choleskyInPlace, solveWithCholesky } from '../math/solve.js';
import type { RunContext } from '../runtime/run-context.js';
import { weightOfQuality, type FrameView } from './frame-views.js';
import type { LitSurface } from './lit-surface.js';

export interface AlignedViews {
  /** How far what each view sees was moved, pixels of its picture. */
  shifts: Float32Array<ArrayBuffer>;
}

/** Widths of the pictures that are compared, one after another: the coarse ones lead there, the fine ones are exact. */
const WIDTHS = [160, 320, 640];
const ITERATIONS = [7, 5, 4];
/** Places on the surface that are compared, at most, and views of each. */
const PLACES = 32_000;
/** Of the places each so manyth is looked at in the coarse pictures, which have fewer pixels. */
const STRIDES = [4, 2, 1];
const MOST_VIEWS = 6;
/** Difference of the logarithm of the paint that is usual, and that is outlying. */
const NOISE = 0.06;
const OUTLYING = 0.15;
/** Neighbouring places tell partly the same. */
const INDEPENDENT = 0.1;
/** Poses are expected to be right within this, pixels of a picture 640 wide: holds what pictures don't tell, such as all views moving together. */
const EXPECTED = 2.5;
/** Fewer places than these move no view. */
const ENOUGH = 200;

/**
 * Moves the views so that all show the same paint at the same places, light taken out: Gauss–Newton over all poses at once,
 * the paint of every place eliminated, from coarse pictures to fine ones. Changes `sensorFromPiece` of the views.
 * O(places · views of a place² + views³) an iteration.
 *
 * Source: Q.-Y. Zhou, V. Koltun (2014), Color map optimization for 3D reconstruction with consumer depth cameras (rigid part; there
 * paint and poses take turns, here they are solved together).
 */
export function alignViews(mesh: TriangleMesh, views: FrameView[], lit: LitSurface, ctx: RunContext): AlignedViews {
  const before = views.map((v) => v.sensorFromPiece);
  if (views.length > 1) {
    const places = comparedPlaces(mesh, views, lit);
    WIDTHS.forEach((width, level) => {
      const pictures = views.map((v) => new LogPicture(v, width));
      for (let i = 0; i < ITERATIONS[level]; i++) {
        ctx.checkpoint((level + i / ITERATIONS[level]) / WIDTHS.length);
        step(views, before, pictures, places, STRIDES[level]);
      }
      if (level < WIDTHS.length - 1) return;
      // Where light or anything else misleads, the poses as they were told are better.
      const told = views.map((v, k) => ({ ...v, sensorFromPiece: before[k] }));
      if (disagreement(views, pictures, places) < disagreement(told, pictures, places)) return;
      views.forEach((v, k) => (v.sensorFromPiece = before[k]));
    });
  }
  return { shifts: Float32Array.from(views, (v, i) => shiftInPicture(v, before[i], mesh)) };
}

/** The small motion that turns (first three, radians) about a point, then shifts (last three). */
function twistAbout(c: ArrayLike<number>, d: ArrayLike<number>): Mat4 {
  const m = fromTwist(d[0], d[1], d[2], 0, 0, 0);
  for (let a = 0; a < 3; a++) m[12 + a] = c[a] - (m[a] * c[0] + m[4 + a] * c[1] + m[8 + a] * c[2]) + d[3 + a];
  return m;
}

/** Mean motion of a dozen vertices in the picture, pixels. */
function shiftInPicture(view: FrameView, before: Mat4, mesh: TriangleMesh): number {
  const p = mesh.positions;
  const n = p.length / 3;
  let sum = 0;
  for (let i = 0; i < 12; i++) {
    const v = Math.floor((i * n) / 12);
    const [a, b] = [before, view.sensorFromPiece].map((m) => {
      const [x, y, z] = transformPoint(m, p[3 * v], p[3 * v + 1], p[3 * v + 2]);
      return [(view.camera.fx * x) / z, (view.camera.fy * y) / z];
    });
    sum += Math.hypot(a[0] - b[0], a[1] - b[1]) / 12;
  }
  return sum;
}

interface ComparedPlaces {
  count: number;
  position: Float32Array;
  start: Uint32Array;
  view: Uint16Array;
  weight: Float32Array;
  /** What to add to the logarithm of a view's light to have the paint's. */
  factor: Float32Array;
  middle: Vec3;
  radius: number;
}

function comparedPlaces(mesh: TriangleMesh, views: readonly FrameView[], lit: LitSurface): ComparedPlaces {
  const { indices, positions: p } = mesh;
  const m = indices.length / 3;
  const random = createRandom(3);
  const position: number[] = [];
  const start: number[] = [];
  const view: number[] = [];
  const weight: number[] = [];
  const factor: number[] = [];
  const factors = new Float64Array(3);
  const seeing: { view: number; quality: number }[] = [];
  // By area: large triangles hold more places.
  const sums = new Float64Array(m + 1);
  for (let t = 0; t < m; t++) {
    const [a, b, c] = [3 * indices[3 * t], 3 * indices[3 * t + 1], 3 * indices[3 * t + 2]];
    const u = [p[b] - p[a], p[b + 1] - p[a + 1], p[b + 2] - p[a + 2]];
    const w = [p[c] - p[a], p[c + 1] - p[a + 1], p[c + 2] - p[a + 2]];
    sums[t + 1] = sums[t] + Math.hypot(u[1] * w[2] - u[2] * w[1], u[2] * w[0] - u[0] * w[2], u[0] * w[1] - u[1] * w[0]);
  }
  const middle: Vec3 = [0, 0, 0];
  let t = 0;
  for (let i = 0; i < PLACES; i++) {
    const at = ((i + random()) / PLACES) * sums[m];
    while (t < m - 1 && sums[t + 1] < at) t++;
    const corners = [indices[3 * t], indices[3 * t + 1], indices[3 * t + 2]];
    let [r, s] = [random(), random()];
    if (r + s > 1) [r, s] = [1 - r, 1 - s];
    seeing.length = 0;
    for (let k = 0; k < views.length; k++) {
      const q = views[k].quality;
      const quality = Math.min(q[corners[0]], q[corners[1]], q[corners[2]]);
      if (quality > 20) seeing.push({ view: k, quality });
    }
    if (seeing.length < 2) continue;
    seeing.sort((a, b) => b.quality - a.quality || a.view - b.view);
    const w = [1 - r - s, r, s];
    start.push(view.length);
    for (let k = 0; k < 3; k++) {
      const x = w[0] * p[3 * corners[0] + k] + w[1] * p[3 * corners[1] + k] + w[2] * p[3 * corners[2] + k];
      position.push(x);
      middle[k] += x;
    }
    for (const { view: k, quality } of seeing.slice(0, MOST_VIEWS)) {
      let log = 0;
      for (let c = 0; c < 3; c++) {
        lit.paintFactors(k, corners[c], factors);
        log += w[c] * Math.log(0.25 * factors[0] + 0.6 * factors[1] + 0.15 * factors[2]);
      }
      view.push(k);
      weight.push(weightOfQuality(quality));
      factor.push(log);
    }
  }
  start.push(view.length);
  const count = position.length / 3;
  for (let k = 0; k < 3; k++) middle[k] /= Math.max(1, count);
  let radius = 1e-9;
  for (let i = 0; i < count; i++) {
    radius = Math.max(
      radius,
      Math.hypot(position[3 * i] - middle[0], position[3 * i + 1] - middle[1], position[3 * i + 2] - middle[2]),
    );
  }
  return {
    count,
    position: Float32Array.from(position),
    start: Uint32Array.from(start),
    view: Uint16Array.from(view),
    weight: Float32Array.from(weight),
    factor: Float32Array.from(factor),
    middle,
    radius,
  };
}

/** What the views show at one place after another, from where they stand now. */
class PlaceLook {
  /** Numbers of the views that show the place, the logarithm of the paint they show, their weights, and how it changes with their poses (6). */
  readonly who = new Int32Array(MOST_VIEWS);
  readonly values = new Float64Array(MOST_VIEWS);
  readonly weights = new Float64Array(MOST_VIEWS);
  readonly rows = new Float64Array(6 * MOST_VIEWS);
  /** The places' middle in each sensor's frame. */
  readonly centres: Vec3[];
  private readonly seen = new Float64Array(3);

  constructor(
    private readonly views: readonly FrameView[],
    private readonly pictures: readonly LogPicture[],
    private readonly places: ComparedPlaces,
  ) {
    this.centres = views.map((v) => transformPoint(v.sensorFromPiece, ...places.middle));
  }

  /** @returns how many views show the place */
  at(i: number): number {
    const { places, pictures, views, centres, seen, who, values, weights, rows } = this;
    const x = places.position[3 * i];
    const y = places.position[3 * i + 1];
    const z = places.position[3 * i + 2];
    let count = 0;
    for (let s = places.start[i]; s < places.start[i + 1]; s++) {
      const k = places.view[s];
      const m = views[k].sensorFromPiece;
      const sx = m[0] * x + m[4] * y + m[8] * z + m[12];
      const sy = m[1] * x + m[5] * y + m[9] * z + m[13];
      const sz = m[2] * x + m[6] * y + m[10] * z + m[14];
      if (!pictures[k].at(sx, sy, sz, seen)) continue;
      who[count] = k;
      weights[count] = places.weight[s];
      values[count] = seen[0] + places.factor[s];
      // Derivatives along the sensor's axes, then for a turn about the middle and a shift.
      const { fx, fy } = pictures[k];
      const gx = (seen[1] * fx) / sz;
      const gy = (seen[2] * fy) / sz;
      const gz = -(gx * sx + gy * sy) / sz;
      const rx = sx - centres[k][0];
      const ry = sy - centres[k][1];
      const rz = sz - centres[k][2];
      const at = 6 * count;
      // A turn in parts of the radius: all six are lengths.
      rows[at] = (ry * gz - rz * gy) / places.radius;
      rows[at + 1] = (rz * gx - rx * gz) / places.radius;
      rows[at + 2] = (rx * gy - ry * gx) / places.radius;
      rows[at + 3] = gx;
      rows[at + 4] = gy;
      rows[at + 5] = gz;
      count++;
    }
    return count;
  }
}

/** How much the views differ at the places, robust: what alignment makes less. */
function disagreement(views: readonly FrameView[], pictures: readonly LogPicture[], places: ComparedPlaces): number {
  const look = new PlaceLook(views, pictures, places);
  const { values, weights } = look;
  let cost = 0;
  let total = 0;
  for (let i = 0; i < places.count; i++) {
    const count = look.at(i);
    const given = weights.slice(0, count);
    const middle = count < 2 ? undefined : robustMean(values, weights, count);
    if (middle === undefined) continue;
    for (let a = 0; a < count; a++) {
      const square = ((values[a] - middle) / OUTLYING) ** 2;
      cost += (given[a] * square) / (1 + square);
      total += given[a];
    }
  }
  return total > 0 ? cost / total : 0;
}

/** One Gauss–Newton step over all poses. */
function step(
  views: FrameView[],
  before: readonly Mat4[],
  pictures: readonly LogPicture[],
  places: ComparedPlaces,
  stride: number,
): void {
  const size = 6 * views.length;
  const normal = new Float64Array(size * size);
  const right = new Float64Array(size);
  const usable = new Uint32Array(views.length);
  const look = new PlaceLook(views, pictures, places);
  const { who, values, weights, rows, centres } = look;
  for (let i = 0; i < places.count; i += stride) {
    const count = look.at(i);
    if (count < 2) continue;
    const middle = robustMean(values, weights, count);
    if (middle === undefined) continue;
    let total = 0;
    for (let a = 0; a < count; a++) total += weights[a];
    for (let a = 0; a < count; a++) {
      const wa = weights[a];
      usable[who[a]]++;
      const r = middle - values[a];
      for (let c = 0; c < 6; c++) right[6 * who[a] + c] += SURE * wa * rows[6 * a + c] * r;
      for (let b = 0; b < count; b++) {
        if (who[b] > who[a]) continue;
        const f = SURE * ((a === b ? wa : 0) - (wa * weights[b]) / total);
        for (let c = 0; c < 6; c++) {
          const row = (6 * who[a] + c) * size + 6 * who[b];
          const fc = f * rows[6 * a + c];
          const end = a === b ? c + 1 : 6;
          for (let d = 0; d < end; d++) normal[row + d] += fc * rows[6 * b + d];
        }
      }
    }
  }
  views.forEach((view, k) => {
    // What is expected of a pose: shifts at the object that are some pixels; along the axis that takes more.
    const pixel = (EXPECTED * centres[k][2]) / ((view.camera.fx * 640) / view.camera.width);
    const held = usable[k] < ENOUGH ? 1e12 : 1;
    const gone = twistBetween(before[k], view.sensorFromPiece, places);
    for (let c = 0; c < 6; c++) {
      const expected = held / (pixel * (c === 5 ? 4 : 1)) ** 2;
      normal[(6 * k + c) * (size + 1)] += expected;
      right[6 * k + c] -= expected * gone[c];
    }
  });
  if (!choleskyInPlace(normal, size)) return;
  solveWithCholesky(normal, right, size);
  views.forEach((view, k) => {
    const d = right.subarray(6 * k, 6 * k + 6);
    const r = places.radius;
    const moved = twistAbout(centres[k], [d[0] / r, d[1] / r, d[2] / r, d[3], d[4], d[5]]);
    view.sensorFromPiece = multiply(moved, view.sensorFromPiece);
  });
}

const SURE = INDEPENDENT / NOISE ** 2;

/** Turn (in parts of the radius) and shift of the object's middle from one pose to another, small. */
function twistBetween(from: Mat4, to: Mat4, { middle, radius }: ComparedPlaces): number[] {
  const dot = (a: number, b: number): number => to[a] * from[b] + to[4 + a] * from[4 + b] + to[8 + a] * from[8 + b];
  const at = (m: Mat4, k: number): number => m[k] * middle[0] + m[4 + k] * middle[1] + m[8 + k] * middle[2] + m[12 + k];
  return [
    ((dot(2, 1) - dot(1, 2)) / 2) * radius,
    ((dot(0, 2) - dot(2, 0)) / 2) * radius,
    ((dot(1, 0) - dot(0, 1)) / 2) * radius,
    ...[0, 1, 2].map((k) => at(to, k) - at(from, k)),
  ];
}

/** Robust mean of values; lowers the weights of outlying ones. */
function robustMean(values: Float64Array, weights: Float64Array, count: number): number | undefined {
  let mean = 0;
  let total = 0;
  for (let i = 0; i < count; i++) {
    mean += weights[i] * values[i];
    total += weights[i];
  }
  if (!(total > 0)) return undefined;
  mean /= total;
  for (let round = 0; round < 2; round++) {
    const scale = round === 0 ? 3 * OUTLYING : 1.5 * OUTLYING;
    let sum = 0;
    total = 0;
    for (let i = 0; i < count; i++) {
      const w = weights[i] / (1 + ((values[i] - mean) / scale) ** 2);
      sum += w * values[i];
      total += w;
    }
    mean = sum / total;
  }
  for (let i = 0; i < count; i++) weights[i] /= 1 + ((values[i] - mean) / OUTLYING) ** 2;
  return mean;
}

/** Logarithm of the luminance of a view's picture at about a given width, with its slope. */
class LogPicture {
  readonly fx: number;
  readonly fy: number;
  private readonly cx: number;
  private readonly cy: number;
  private readonly width: number;
  private readonly height: number;
  private readonly log: Float32Array;

  constructor({ camera, image }: FrameView, wanted: number) {
    const by = Math.max(1, Math.round(image.width / wanted));
    const width = Math.floor(image.width / by);
    const height = Math.floor(image.height / by);
    const luma = new Float32Array(width * height);
    const { data } = image;
    for (let y = 0; y < height * by; y++) {
      const row = Math.floor(y / by) * width;
      let from = 3 * y * image.width;
      for (let x = 0; x < width; x++) {
        let sum = 0;
        for (let i = 0; i < by; i++, from += 3) {
          sum +=
            0.25 * LIGHT_OF_SRGB[data[from]] +
            0.6 * LIGHT_OF_SRGB[data[from + 1]] +
            0.15 * LIGHT_OF_SRGB[data[from + 2]];
        }
        luma[row + x] += sum;
      }
    }
    // A little blurred (1, 2, 1 both ways): slopes between pixels then tell how the picture goes on beyond them.
    const across = new Float32Array(width * height);
    for (let at = 0; at < across.length; at += width) {
      for (let x = 0; x < width; x++)
        across[at + x] = luma[at + (x > 0 ? x - 1 : 0)] + 2 * luma[at + x] + luma[at + (x < width - 1 ? x + 1 : x)];
    }
    this.log = new Float32Array(width * height);
    const share = 1 / (16 * by * by);
    for (let y = 0; y < height; y++) {
      const above = y > 0 ? -width : 0;
      const below = y < height - 1 ? width : 0;
      for (let at = y * width; at < (y + 1) * width; at++)
        this.log[at] = Math.log((across[at + above] + 2 * across[at] + across[at + below]) * share + 0.004);
    }
    this.width = width;
    this.height = height;
    this.fx = camera.fx / by;
    this.fy = camera.fy / by;
    this.cx = (camera.cx + 0.5) / by - 0.5;
    this.cy = (camera.cy + 0.5) / by - 0.5;
  }

  /** Value and slopes (a pixel to the right, a pixel down) at a place in the sensor's frame. @returns false outside the picture */
  at(x: number, y: number, z: number, out: Float64Array): boolean {
    if (!(z > 0)) return false;
    const u = (this.fx * x) / z + this.cx;
    const v = (this.fy * y) / z + this.cy;
    const { width, height, log } = this;
    if (!(u >= 1 && v >= 1 && u < width - 2 && v < height - 2)) return false;
    const u0 = u | 0;
    const v0 = v | 0;
    const a = u - u0;
    const b = v - v0;
    const at = v0 * width + u0;
    const l00 = log[at];
    const l10 = log[at + 1];
    const l01 = log[at + width];
    const l11 = log[at + width + 1];
    out[0] = (l00 * (1 - a) + l10 * a) * (1 - b) + (l01 * (1 - a) + l11 * a) * b;
    // Slopes over two pixels, between the corners.
    const x00 = (l10 - log[at - 1]) / 2;
    const x10 = (log[at + 2] - l00) / 2;
    const x01 = (l11 - log[at + width - 1]) / 2;
    const x11 = (log[at + width + 2] - l01) / 2;
    const y00 = (l01 - log[at - width]) / 2;
    const y10 = (l11 - log[at - width + 1]) / 2;
    const y01 = (log[at + 2 * width] - l00) / 2;
    const y11 = (log[at + 2 * width + 1] - l10) / 2;
    out[1] = (x00 * (1 - a) + x10 * a) * (1 - b) + (x01 * (1 - a) + x11 * a) * b;
    out[2] = (y00 * (1 - a) + y10 * a) * (1 - b) + (y01 * (1 - a) + y11 * a) * b;
    return true;
  }
}
