import { perpendiculars, type Vec3 } from '../math/mat4.js';

/** The plane that a relief is measured over: `n · x = offset`, and how far its points lie from it, mm. */
export interface BasePlane {
  normal: Vec3;
  offset: number;
  rms: number;
}

/** How a support lies that is not quite flat, as a cloth or a warped board: its height over a plane, on a grid. */
export interface SupportRelief {
  /** Root mean square distance of the support's points from it, mm. */
  rms: number;
  /** Height over the plane at a point, mm; beyond the grid that of its border. */
  heightAt(x: number, y: number, z: number): number;
}

/** Steepest slope of a support against its plane, and how flat a cell's points must be, as multiples of the noise. */
const STEEPEST = 0.15;
const FLAT = 4.5;
/** Points that tell a cell's height: few are enough, since it must also go on from its neighbours. */
const LEAST_POINTS = 4;

/**
 * Finds the support's height cell by cell: cells whose points form one thin layer, followed from the outside inwards as
 * far as they go on smoothly; under the object and in gaps the height is drawn across from around (a membrane). O(n + cells).
 *
 * @param spacing of the cloud, mm
 * @returns undefined if no layer could be followed
 */
export function supportRelief(positions: Float32Array, plane: BasePlane, spacing: number): SupportRelief | undefined {
  const n = plane.normal;
  const [u, v] = perpendiculars(n);
  const reach = Math.max(5 * plane.rms, 8 * spacing);
  const cell = Math.max(12 * spacing, 4 * plane.rms);
  const near = pointsNear(positions, plane, u, v, reach);
  if (near.height.length < 50) return undefined;
  const grid = gridOf(near, cell);
  const layer = layersOf(near, grid);
  const ground = follow(layer, grid, cell);
  if (!ground) return undefined;
  spread(ground, grid);
  const at = (a: number, b: number): number => bilinear(ground, grid, (a - grid.a0) / cell, (b - grid.b0) / cell);
  let squares = 0;
  let count = 0;
  for (let i = 0; i < near.height.length; i++) {
    const d = near.height[i] - at(near.a[i], near.b[i]);
    if (Math.abs(d) > FLAT * layer.noise) continue;
    squares += d * d;
    count++;
  }
  if (count === 0) return undefined;
  return {
    rms: Math.sqrt(squares / count),
    heightAt: (x, y, z) => at(u[0] * x + u[1] * y + u[2] * z, v[0] * x + v[1] * y + v[2] * z),
  };
}

interface Near {
  a: Float32Array;
  b: Float32Array;
  height: Float32Array;
}

function pointsNear(p: Float32Array, plane: BasePlane, u: Vec3, v: Vec3, reach: number): Near {
  const a: number[] = [];
  const b: number[] = [];
  const height: number[] = [];
  const n = plane.normal;
  for (let i = 0; i < p.length; i += 3) {
    const h = n[0] * p[i] + n[1] * p[i + 1] + n[2] * p[i + 2] - plane.offset;
    if (h > reach || h < -reach) continue;
    a.push(u[0] * p[i] + u[1] * p[i + 1] + u[2] * p[i + 2]);
    b.push(v[0] * p[i] + v[1] * p[i + 1] + v[2] * p[i + 2]);
    height.push(h);
  }
  return { a: Float32Array.from(a), b: Float32Array.from(b), height: Float32Array.from(height) };
}

interface Grid {
  a0: number;
  b0: number;
  width: number;
  depth: number;
  /** Cell of each near point. */
  cellOf: Int32Array;
}

function gridOf({ a, b }: Near, cell: number): Grid {
  let [a0, a1, b0, b1] = [Infinity, -Infinity, Infinity, -Infinity];
  for (let i = 0; i < a.length; i++) {
    a0 = Math.min(a0, a[i]);
    a1 = Math.max(a1, a[i]);
    b0 = Math.min(b0, b[i]);
    b1 = Math.max(b1, b[i]);
  }
  const width = Math.min(400, Math.floor((a1 - a0) / cell) + 1);
  const depth = Math.min(400, Math.floor((b1 - b0) / cell) + 1);
  const cellOf = Int32Array.from(a, (_, i) => {
    const x = Math.min(width - 1, Math.floor((a[i] - a0) / cell));
    return Math.min(depth - 1, Math.floor((b[i] - b0) / cell)) * width + x;
  });
  return { a0: a0 + cell / 2, b0: b0 + cell / 2, width, depth, cellOf };
}

interface Layers {
  /** Median height of each cell, NaN where its points form no single layer. */
  median: Float32Array;
  /** Standard deviation within a layer, mm. */
  noise: number;
}

function layersOf({ height }: Near, { width, depth, cellOf }: Grid): Layers {
  const cells = width * depth;
  const starts = new Int32Array(cells + 1);
  for (const c of cellOf) starts[c + 1]++;
  for (let c = 0; c < cells; c++) starts[c + 1] += starts[c];
  const sorted = new Float32Array(height.length);
  const next = starts.slice();
  for (let i = 0; i < height.length; i++) sorted[next[cellOf[i]]++] = height[i];
  const median = new Float32Array(cells).fill(NaN);
  // 10 to 90 % of a normal distribution is 2.563 standard deviations.
  const width80 = new Float32Array(cells).fill(Infinity);
  const known: number[] = [];
  for (let c = 0; c < cells; c++) {
    const part = sorted.subarray(starts[c], starts[c + 1]).sort();
    if (part.length < LEAST_POINTS) continue;
    median[c] = part[part.length >> 1];
    width80[c] = (part[Math.floor(0.9 * (part.length - 1))] - part[Math.floor(0.1 * (part.length - 1))]) / 2.563;
    known.push(width80[c]);
  }
  known.sort((x, y) => x - y);
  const noise = known[known.length >> 1] ?? 0;
  for (let c = 0; c < cells; c++) if (!(width80[c] < 2.5 * noise)) median[c] = NaN;
  return { median, noise };
}

/** The layer's heights from the outermost cells inwards, without jumps; NaN elsewhere. */
function follow({ median, noise }: Layers, { width, depth }: Grid, cell: number): Float32Array | undefined {
  const ground = new Float32Array(median.length).fill(NaN);
  const queue: number[] = [];
  const middle = [(width - 1) / 2, (depth - 1) / 2];
  const outer = 0.75 * Math.min(middle[0], middle[1]);
  const outside = [...median.keys()].filter(
    (c) => median[c] === median[c] && Math.hypot((c % width) - middle[0], Math.floor(c / width) - middle[1]) >= outer,
  );
  if (outside.length === 0) return undefined;
  // The outside's own middle height: an object that overhangs its support is not taken for it.
  const usual = outside.map((c) => median[c]).sort((a, b) => a - b)[outside.length >> 1];
  for (const c of outside) {
    if (Math.abs(median[c] - usual) > STEEPEST * cell * 3 + 3 * noise) continue;
    ground[c] = median[c];
    queue.push(c);
  }
  for (let k = 0; k < queue.length; k++) {
    const c = queue[k];
    for (const [dx, dy] of AROUND) {
      const [x, y] = [(c % width) + dx, Math.floor(c / width) + dy];
      if (x < 0 || y < 0 || x >= width || y >= depth) continue;
      const d = y * width + x;
      if (ground[d] === ground[d] || !(Math.abs(median[d] - ground[c]) < STEEPEST * cell + 2 * noise)) continue;
      ground[d] = median[d];
      queue.push(d);
    }
  }
  return ground;
}

const AROUND = [
  [1, 0],
  [-1, 0],
  [0, 1],
  [0, -1],
];

/** Fills unknown cells with the mean of their neighbours, from the known ones on, then evens them out. */
function spread(ground: Float32Array, { width, depth }: Grid): void {
  const unknown = [...ground.keys()].filter((c) => Number.isNaN(ground[c]));
  const mean = (c: number): number => {
    let sum = 0;
    let n = 0;
    for (const [dx, dy] of AROUND) {
      const [x, y] = [(c % width) + dx, Math.floor(c / width) + dy];
      const g = x < 0 || y < 0 || x >= width || y >= depth ? NaN : ground[y * width + x];
      if (Number.isNaN(g)) continue;
      sum += g;
      n++;
    }
    return n > 0 ? sum / n : NaN;
  };
  for (let left = unknown.slice(); left.length > 0;) {
    const found = left.map(mean);
    left.forEach((c, k) => (ground[c] = found[k]));
    const still = left.filter((c) => Number.isNaN(ground[c]));
    if (still.length === left.length) break;
    left = still;
  }
  for (let round = 0; round < 200; round++) for (const c of unknown) ground[c] = mean(c);
}

function bilinear(g: Float32Array, { width, depth }: Grid, x: number, y: number): number {
  const cx = Math.max(0, Math.min(width - 1, x));
  const cy = Math.max(0, Math.min(depth - 1, y));
  const x0 = Math.min(width - 1, Math.floor(cx));
  const y0 = Math.min(depth - 1, Math.floor(cy));
  const x1 = Math.min(width - 1, x0 + 1);
  const y1 = Math.min(depth - 1, y0 + 1);
  const [s, t] = [cx - x0, cy - y0];
  return (
    (g[y0 * width + x0] * (1 - s) + g[y0 * width + x1] * s) * (1 - t) +
    (g[y1 * width + x0] * (1 - s) + g[y1 * width + x1] * s) * t
  );
}
