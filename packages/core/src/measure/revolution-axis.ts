import { boundsOf, diagonalOf } from '../geometry/point-cloud.js';
import { triangleNormal, vertexNormals, type TriangleMesh } from '../geometry/triangle-mesh.js';
import { symmetricEigen } from '../math/eigen.js';
import { cross3, dot3, type Vec3 } from '../math/mat4.js';
import { createRandom, type Random } from '../math/random.js';
import { solveCholeskyInPlace } from '../math/solve.js';

/** The axis about which most of a surface was turned, as a jug on its wheel. */
export interface RevolutionAxis {
  /** A place on it, mm: the one nearest to the middle of the surface. */
  at: Vec3;
  /** Unit vector; either way. */
  direction: Vec3;
  /** Share of the area whose normals meet it. */
  share: number;
}

/** Triangles that are looked at, taken evenly by area. */
const LOOKED_AT = 4000;
/** First guesses, each from so few triangles that one of them has no handle in it. */
const GUESSES = 40;
const OF_EACH = 14;
const ROUNDS = 12;
/** A normal that passes the axis at less than this share of the diagonal meets it. */
const MEETS = 0.015;
/** A normal that runs along the axis so much (cosine of 16°) is of a face across it. */
const FLAT = 0.96;
/** Less of the area than this is no body of revolution. */
const LEAST_SHARE = 0.6;
/** Where a second axis explains as much, within this factor, or its normals meet it as well, there is none: a ball has any. */
const SECOND = 4;

/**
 * The axis of a surface of revolution, its handles left out: all its normals meet the axis. A line with direction a and moment
 * c meets the normal n at p if a · (p × n) + c · n = 0, which is linear; guesses from few triangles find the axis, weights that
 * fall off settle it. O(triangles).
 * Source: H. Pottmann, T. Randrup (1998), Rotational and helical surface approximation for reverse engineering.
 * @returns undefined where there is no single axis
 */
export function revolutionAxis(mesh: TriangleMesh): RevolutionAxis | undefined {
  const size = diagonalOf(boundsOf(mesh.positions));
  const samples = samplesOf(mesh, size);
  const n = samples.length / 6;
  if (n < OF_EACH) return undefined;
  const random = createRandom(1);
  const all = new Float64Array(n).fill(1);
  let best = solved(samples, all);
  let least = best ? medianMiss(samples, best) : Infinity;
  for (let k = 0; k < GUESSES; k++) {
    const guess = solved(samples, few(n, random));
    const miss = guess ? medianMiss(samples, guess) : Infinity;
    if (miss < least) [best, least] = [guess, miss];
  }
  for (let round = 0; best && round < ROUNDS; round++) {
    const reach = Math.max(4 * medianMiss(samples, best), 0.2 * MEETS);
    const weights = all.map((_, i) => {
      const u = missOf(samples, i, best!) / reach;
      return Math.abs(u) < 1 ? (1 - u * u) ** 2 : 0;
    });
    best = solved(samples, weights) ?? best;
  }
  if (!best || best.second < Math.max(SECOND * best.least, MEETS ** 2)) return undefined;
  // A flat face across the axis meets it wherever it stands: it tells nothing of where that is.
  let [met, telling, tellingMet] = [0, 0, 0];
  for (let i = 0; i < n; i++) {
    const meets = Math.abs(missOf(samples, i, best)) < MEETS ? 1 : 0;
    met += meets;
    if (Math.abs(dot3(best.a, samples.subarray(6 * i + 3, 6 * i + 6))) > FLAT) continue;
    telling++;
    tellingMet += meets;
  }
  if (tellingMet < LEAST_SHARE * telling || telling < OF_EACH) return undefined;
  const { min, max } = boundsOf(mesh.positions);
  const middle = min.map((c, k) => (c + max[k]) / 2) as Vec3;
  // The place of the line nearest to the middle, whose coordinates were taken from there.
  const near = cross3(best.a, best.c);
  return { at: near.map((c, k) => middle[k] + size * c) as Vec3, direction: best.a, share: met / n };
}

/** A line: unit direction, moment, and how well it and the next best direction explain the normals. */
interface Line {
  a: Vec3;
  c: Vec3;
  least: number;
  second: number;
}

/** Middles of triangles from the middle of the surface, as shares of its size, and their normals; six numbers each. */
function samplesOf(mesh: TriangleMesh, size: number): Float64Array {
  const { positions: p, indices } = mesh;
  const m = indices.length / 3;
  const { min, max } = boundsOf(p);
  const normals = mesh.normals ?? vertexNormals(mesh);
  const normal = new Float64Array(3);
  let total = 0;
  for (let t = 0; t < m; t++)
    total += triangleNormal(p, indices[3 * t], indices[3 * t + 1], indices[3 * t + 2], normal);
  const out: number[] = [];
  let upTo = 0;
  let taken = 0;
  for (let t = 0; t < m; t++) {
    const [a, b, c] = [3 * indices[3 * t], 3 * indices[3 * t + 1], 3 * indices[3 * t + 2]];
    const area = triangleNormal(p, indices[3 * t], indices[3 * t + 1], indices[3 * t + 2], normal);
    upTo += area;
    // As many from each part as its area asks for; a large triangle counts once.
    if (!(area > 0) || upTo * LOOKED_AT < (taken + 0.5) * total) continue;
    taken = Math.floor((upTo * LOOKED_AT) / total + 0.5);
    for (let k = 0; k < 3; k++) out.push(((p[a + k] + p[b + k] + p[c + k]) / 3 - (min[k] + max[k]) / 2) / size);
    // The corners' normals, which look at more than one triangle: noise turns small triangles far.
    const n = [0, 1, 2].map((k) => normals[a + k] + normals[b + k] + normals[c + k]);
    const length = Math.hypot(...n) || 1;
    for (let k = 0; k < 3; k++) out.push(n[k] / length);
  }
  return Float64Array.from(out);
}

/** Weights that take only a few. */
function few(n: number, random: Random): Float64Array {
  const out = new Float64Array(n);
  for (let k = 0; k < OF_EACH; k++) out[Math.floor(n * random())] = 1;
  return out;
}

/** The line that weighted normals meet best. */
function solved(samples: Float64Array, weights: Float64Array): Line | undefined {
  const A = new Float64Array(9);
  const B = new Float64Array(9);
  const C = new Float64Array(9);
  let sum = 0;
  for (let i = 0; i < weights.length; i++) {
    const w = weights[i];
    if (w === 0) continue;
    sum += w;
    const [x, y, z, nx, ny, nz] = samples.subarray(6 * i, 6 * i + 6);
    const d = [y * nz - z * ny, z * nx - x * nz, x * ny - y * nx];
    const n = [nx, ny, nz];
    for (let r = 0; r < 3; r++)
      for (let k = 0; k < 3; k++) {
        A[3 * r + k] += w * d[r] * d[k];
        B[3 * r + k] += w * d[r] * n[k];
        C[3 * r + k] += w * n[r] * n[k];
      }
  }
  if (sum === 0) return undefined;
  // Of a tube no normal has a part along its axis: a trace keeps that part of the moment at nothing.
  for (let k = 0; k < 3; k++) C[4 * k] += 1e-6 * sum;
  /** What the best moment is for each direction: −C⁻¹ Bᵀ. */
  const moment = new Float64Array(9);
  for (let col = 0; col < 3; col++) {
    const right = Float64Array.of(-B[3 * col], -B[3 * col + 1], -B[3 * col + 2]);
    if (!solveCholeskyInPlace(C.slice(), right, 3)) return undefined;
    for (let r = 0; r < 3; r++) moment[3 * r + col] = right[r];
  }
  const left = A.slice();
  for (let r = 0; r < 3; r++)
    for (let k = 0; k < 3; k++) for (let j = 0; j < 3; j++) left[3 * r + k] += B[3 * r + j] * moment[3 * j + k];
  const { values, vectors } = symmetricEigen(left, 3);
  const order = [0, 1, 2].sort((i, j) => values[i] - values[j]);
  const a = [0, 1, 2].map((k) => vectors[3 * order[0] + k]) as Vec3;
  const c = [0, 1, 2].map((r) => moment[3 * r] * a[0] + moment[3 * r + 1] * a[1] + moment[3 * r + 2] * a[2]) as Vec3;
  // A line's moment stands across its direction; what is along it would be a screw.
  const along = dot3(a, c);
  return {
    a,
    c: c.map((v, k) => v - along * a[k]) as Vec3,
    least: Math.max(values[order[0]] / sum, 1e-9),
    second: values[order[1]] / sum,
  };
}

/** How far a normal passes the axis, as a share of the size, less the nearer it runs along it. */
function missOf(samples: Float64Array, i: number, { a, c }: Line): number {
  const at = 6 * i;
  const [x, y, z, nx, ny, nz] = samples.subarray(at, at + 6);
  return (
    a[0] * (y * nz - z * ny) + a[1] * (z * nx - x * nz) + a[2] * (x * ny - y * nx) + c[0] * nx + c[1] * ny + c[2] * nz
  );
}

function medianMiss(samples: Float64Array, line: Line): number {
  const misses = Float64Array.from({ length: samples.length / 6 }, (_, i) => Math.abs(missOf(samples, i, line)));
  return misses.sort()[misses.length >> 1];
}
