import type { DepthFrame } from '../geometry/depth-frame.js';
import { solveCholeskyInPlace } from '../math/solve.js';

/**
 * A marker dot is a bright disc in a dark ring, stuck onto an object to be tracked by. Sizes in mm.
 */
export interface DotKind {
  /** Radius of the bright disc. */
  disc: number;
  /** Outer radius of the dark ring. */
  ring: number;
}

/** The usual small dots: 4 mm in a ring of 7 mm. */
export const SMALL_DOTS: DotKind = { disc: 2, ring: 3.5 };

/** Area of a disc against what its distance makes of it: foreshortened at worst so far, spread by the lens at most. */
const LEAST_AREA = 0.25;
const MOST_AREA = 1.7;
/** Area over that of the ellipse with the same second moments: 1 for a full ellipse, less for whatever is ragged. */
const LEAST_FULLNESS = 0.8;
/** The ring is at most so bright, as a share of the disc. */
const DARK = 0.62;
/** A disc of fewer pixels is too small to be told from noise. */
const LEAST_PIXELS = 7;

/**
 * Marker dots in the colour picture of a frame, as points in the sensor's frame (3 numbers each, mm). The middle of a
 * disc is the mean of its pixels weighted by brightness; its depth comes from a curved surface fitted to the depths in
 * and around the dot, so that a disc too bright or a ring too dark for the sensor does no harm. Foreshortening moves
 * the middle by less than a hundredth of the disc at 150 mm and more. O(pixels).
 *
 * Source of the weighted middle: M. Shortis, T. Clarke, T. Short (1994), A comparison of some techniques for the
 * subpixel location of discrete target images.
 */
export function findDots(frame: Omit<DepthFrame, 'scanFromSensor'>, kind: DotKind = SMALL_DOTS): Float32Array {
  const { color } = frame;
  if (!color) return new Float32Array(0);
  const { width, height } = color.image;
  const distance = middleDepth(frame.depth);
  if (distance === 0) return new Float32Array(0);
  const gray = grayOf(color.image.data, width * height);
  const radius = (color.camera.fx * kind.disc) / distance;
  const bright = brighterThanAround(gray, width, height, Math.ceil(2.2 * radius));
  const out: number[] = [];
  for (const blob of blobsOf(bright, width, height, Math.PI * (1.7 * radius) ** 2 * MOST_AREA)) {
    const disc = discOf(blob, gray, width);
    if (!disc || !isRinged(disc, gray, width, height, kind)) continue;
    const u = ((disc.u - color.camera.cx) / color.camera.fx) * frame.camera.fx + frame.camera.cx;
    const v = ((disc.v - color.camera.cy) / color.camera.fy) * frame.camera.fy + frame.camera.cy;
    const z = depthAround(frame, u, v, (1.9 * frame.camera.fx * kind.ring) / distance);
    if (z === 0) continue;
    const expected = Math.PI * ((color.camera.fx * kind.disc) / z) ** 2;
    if (blob.length < LEAST_AREA * expected || blob.length > MOST_AREA * expected) continue;
    out.push(((disc.u - color.camera.cx) / color.camera.fx) * z, ((disc.v - color.camera.cy) / color.camera.fy) * z, z);
  }
  return Float32Array.from(out);
}

/** Half of the known depths are nearer; from a sample. 0 if too few are known. */
function middleDepth(depth: Float32Array): number {
  const some: number[] = [];
  for (let i = 0; i < depth.length; i += 37) if (depth[i] > 0) some.push(depth[i]);
  if (some.length < 20) return 0;
  return some.sort((a, b) => a - b)[some.length >> 1];
}

function grayOf(rgb: ArrayLike<number>, n: number): Uint8Array {
  const gray = new Uint8Array(n);
  for (let i = 0, j = 0; i < n; i++, j += 3) gray[i] = (77 * rgb[j] + 150 * rgb[j + 1] + 29 * rgb[j + 2]) >> 8;
  return gray;
}

/**
 * Marks pixels brighter than the mean of a square around them, from a table of sums.
 * Source: D. Bradley, G. Roth (2007), Adaptive thresholding using the integral image.
 */
function brighterThanAround(gray: Uint8Array, width: number, height: number, reach: number): Uint8Array {
  const row = width + 1;
  const sums = new Uint32Array(row * (height + 1));
  for (let v = 0; v < height; v++) {
    let line = 0;
    for (let u = 0; u < width; u++) {
      line += gray[v * width + u];
      sums[(v + 1) * row + u + 1] = sums[v * row + u + 1] + line;
    }
  }
  const out = new Uint8Array(width * height);
  for (let v = 0; v < height; v++) {
    const top = Math.max(0, v - reach) * row;
    const bottom = Math.min(height, v + reach + 1);
    for (let u = 0; u < width; u++) {
      const left = Math.max(0, u - reach);
      const right = Math.min(width, u + reach + 1);
      const sum = sums[bottom * row + right] - sums[bottom * row + left] - sums[top + right] + sums[top + left];
      const mean = sum / ((right - left) * (bottom - top / row));
      if (gray[v * width + u] > mean + 8) out[v * width + u] = 1;
    }
  }
  return out;
}

/** Connected pieces (by their edges) of what is marked, as pixel numbers; those larger than a limit are left out. */
function blobsOf(marked: Uint8Array, width: number, height: number, limit: number): Int32Array[] {
  const out: Int32Array[] = [];
  const stack = new Int32Array(width * height);
  const piece = new Int32Array(width * height);
  for (let seed = 0; seed < marked.length; seed++) {
    if (marked[seed] !== 1) continue;
    let waiting = 0;
    let size = 0;
    let atEdge = false;
    stack[waiting++] = seed;
    marked[seed] = 2;
    while (waiting > 0) {
      const i = stack[--waiting];
      piece[size++] = i;
      const u = i % width;
      if (u === 0 || u === width - 1 || i < width || i >= width * (height - 1)) {
        atEdge = true;
        continue;
      }
      for (let k = 0; k < 4; k++) {
        const j = k === 0 ? i - 1 : k === 1 ? i + 1 : k === 2 ? i - width : i + width;
        if (marked[j] !== 1) continue;
        marked[j] = 2;
        stack[waiting++] = j;
      }
    }
    if (!atEdge && size >= LEAST_PIXELS && size <= limit) out.push(piece.slice(0, size));
  }
  return out;
}

/** The ellipse of a blob in picture coordinates. */
interface Disc {
  u: number;
  v: number;
  /** Mean brightness. */
  bright: number;
  /** Second moments, pixels². */
  uu: number;
  uv: number;
  vv: number;
}

/** The ellipse that a blob fills, or undefined if it does not look like one. */
function discOf(blob: Int32Array, gray: Uint8Array, width: number): Disc | undefined {
  let [weight, u, v, bright] = [0, 0, 0, 0];
  for (const i of blob) {
    const w = gray[i];
    weight += w;
    u += w * (i % width);
    v += w * Math.floor(i / width);
  }
  if (weight === 0) return undefined;
  u /= weight;
  v /= weight;
  let [uu, uv, vv] = [0, 0, 0];
  for (const i of blob) {
    const du = (i % width) - u;
    const dv = Math.floor(i / width) - v;
    uu += du * du;
    uv += du * dv;
    vv += dv * dv;
    bright += gray[i];
  }
  const n = blob.length;
  // A pixel is a square, not a point: it has moments of its own.
  uu = uu / n + 1 / 12;
  uv /= n;
  vv = vv / n + 1 / 12;
  const det = uu * vv - uv * uv;
  if (!(det > 0) || n / (4 * Math.PI * Math.sqrt(det)) < LEAST_FULLNESS) return undefined;
  return { u, v, bright: bright / n, uu, uv, vv };
}

/** Is there a dark ring all around: the mean and nearly all of sixteen places on it are dark. */
function isRinged(d: Disc, gray: Uint8Array, width: number, height: number, kind: DotKind): boolean {
  // The disc's edge lies at twice the root of its moments; the ring's middle so much further out.
  const out = (kind.disc + kind.ring) / kind.disc;
  const half = Math.sqrt(d.uu);
  const slant = d.uv / half;
  const rest = Math.sqrt(Math.max(0, d.vv - slant * slant));
  let sum = 0;
  let light = 0;
  for (let k = 0; k < 16; k++) {
    const c = Math.cos((Math.PI * k) / 8);
    const s = Math.sin((Math.PI * k) / 8);
    const u = Math.round(d.u + out * half * c);
    const v = Math.round(d.v + out * (slant * c + rest * s));
    if (u < 0 || v < 0 || u >= width || v >= height) return false;
    const g = gray[v * width + u];
    sum += g;
    if (g > 0.8 * d.bright) light++;
  }
  return sum / 16 < DARK * d.bright && light <= 2;
}

/**
 * Depth at a place of the depth image from its surroundings: 1/z as a quadratic function of the picture, which is exact
 * for planes and follows curved surfaces; depths that do not fit are left out and it is fitted again. 0 if too few fit.
 */
function depthAround(frame: Omit<DepthFrame, 'scanFromSensor'>, u: number, v: number, reach: number): number {
  const { camera, depth } = frame;
  const r = Math.max(4, reach);
  const [u0, u1] = [Math.max(0, Math.ceil(u - r)), Math.min(camera.width - 1, Math.floor(u + r))];
  const [v0, v1] = [Math.max(0, Math.ceil(v - r)), Math.min(camera.height - 1, Math.floor(v + r))];
  // A few hundred pixels are enough.
  const step = Math.max(1, Math.round(r / 7));
  const near: number[] = [];
  for (let y = v0; y <= v1; y += step)
    for (let x = u0; x <= u1; x += step) if (depth[y * camera.width + x] > 0) near.push(depth[y * camera.width + x]);
  if (near.length < 24) return 0;
  const middle = near.sort((a, b) => a - b)[near.length >> 1];
  const A = new Float64Array(36);
  const b = new Float64Array(6);
  const row = new Float64Array(6);
  let tolerance = 8;
  let fitted: Float64Array | undefined;
  for (let round = 0; round < 2; round++) {
    A.fill(0);
    b.fill(0);
    let n = 0;
    let squares = 0;
    for (let y = v0; y <= v1; y += step) {
      for (let x = u0; x <= u1; x += step) {
        const z = depth[y * camera.width + x];
        const du = (x - u) / r;
        const dv = (y - v) / r;
        if (!(z > 0) || du * du + dv * dv > 1) continue;
        row[0] = 1;
        row[1] = du;
        row[2] = dv;
        row[3] = du * du;
        row[4] = du * dv;
        row[5] = dv * dv;
        const value = middle / z;
        let off = (value - 1) * middle;
        if (fitted) {
          let said = 0;
          for (let k = 0; k < 6; k++) said += fitted[k] * row[k];
          off = (value - said) * middle;
        }
        if (off > tolerance || off < -tolerance) continue;
        n++;
        squares += off * off;
        for (let i = 0; i < 6; i++) {
          b[i] += row[i] * value;
          for (let j = 0; j <= i; j++) A[6 * i + j] += row[i] * row[j];
        }
      }
    }
    if (n < 24) return 0;
    for (let i = 0; i < 6; i++) A[7 * i] += 1e-6 * n;
    if (!solveCholeskyInPlace(A, b, 6)) return 0;
    fitted = b.slice();
    tolerance = Math.max(0.15, Math.min(2, 2.5 * Math.sqrt(squares / n)));
  }
  return middle / fitted![0];
}
