import { triangleCount, vertexCount, type TriangleMesh } from '../geometry/triangle-mesh.js';
import { frameAbout } from '../math/mat4.js';
import { solveCholeskyInPlace } from '../math/solve.js';
import { oppositeHalfEdges } from '../mesh/topology.js';
import type { FaceNormals } from './face-normals.js';

/** Radii of the fits, in mean edge lengths: about 13, 33 and 77 vertices in the flat. */
const RADII = [1.9, 3, 4.6];
/** How far normals within a fit may turn from the middle one's, and where they count for 0.6 (lengths of differences). */
interface Turn {
  most: number;
  half: number;
}
/** Of normals that were made even: trades soft edges against noise. */
const EVEN: Turn = { most: 0.4, half: 0.25 };
/** Of normals as noise leaves them. */
const RAW: Turn = { most: 0.9, half: 1 };
/** A wider fit is taken as long as it agrees with the narrower ones within so many standard deviations. */
const AGREE = 2;
/** Coefficients of a quadratic. */
const N = 6;
/** A quarter, half of the variances found with seven degrees of freedom lie below these shares of the true one (χ² table: 4.255 and 6.346 of 7). */
const QUARTER_OF_VARIANCES = 0.608;
const HALF_OF_VARIANCES = 0.907;

/** A height z = c0 + c1 x + c2 y + c3 x² + c4 x y + c5 y² over a triangle's own frame. */
export interface FaceFit {
  origin: Float64Array;
  /** Two directions across and the normal, three numbers each. */
  frame: Float64Array;
  coefficients: Float64Array;
  /** Variance of the height in the middle, in parts of the noise's. */
  variance: number;
  /** Variance of the vertices off the narrowest fit, mm²; 0 if there is none. */
  leftOver: number;
}

/**
 * Fits a quadratic to the vertices around each triangle that can be reached over triangles that turn little, as widely as
 * the shape allows: of three radii the widest whose height agrees with the narrower ones'.
 * Sources: D. Levin (1998), The approximation power of moving least-squares; A. Goldenshluger, A. Nemirovski (1997), On
 * spatially adaptive estimation of nonparametric regression (the choice of the radius).
 */
export class FaceFitter {
  /** Of `oppositeHalfEdges`. */
  readonly opposite: Int32Array;
  private readonly seenFace: Int32Array;
  private readonly seenVertex: Int32Array;
  private readonly queue: Int32Array;
  private readonly ata = RADII.map(() => new Float64Array(N * N));
  private readonly atb = RADII.map(() => new Float64Array(N));
  private readonly squares = new Float64Array(RADII.length);
  private readonly weights = new Float64Array(RADII.length);
  private readonly counts = new Int32Array(RADII.length);
  private readonly work = new Float64Array(N * N);
  private readonly unit = new Float64Array(N);
  private readonly row = new Float64Array(N);

  constructor(
    private readonly mesh: TriangleMesh,
    private readonly faces: FaceNormals,
  ) {
    const m = triangleCount(mesh);
    this.opposite = oppositeHalfEdges(mesh.indices, vertexCount(mesh));
    this.seenFace = new Int32Array(m).fill(-1);
    this.seenVertex = new Int32Array(vertexCount(mesh)).fill(-1);
    this.queue = new Int32Array(m);
  }

  /**
   * Noise along the normals, one standard deviation, mm: from what the narrowest fits leave over; `calm` in the quarter of the
   * surface that is simplest, `typical` in half of it.
   */
  noise(): { calm: number; typical: number } {
    const m = triangleCount(this.mesh);
    const stride = Math.max(1, Math.floor(m / 20_000));
    const fit = newFit();
    const variances: number[] = [];
    for (let t = 0; t < m; t += stride) {
      this.gather(t, fit, 0, RAW);
      if (this.counts[0] < N + 3 || !this.solve(0, fit.coefficients)) continue;
      variances.push(this.leftOver(fit.coefficients));
    }
    if (variances.length === 0) return { calm: 0, typical: 0 };
    const sorted = Float64Array.from(variances).sort();
    return {
      calm: Math.sqrt(sorted[sorted.length >> 2] / QUARTER_OF_VARIANCES),
      typical: Math.sqrt(sorted[sorted.length >> 1] / HALF_OF_VARIANCES),
    };
  }

  /** Variance of the vertices off the narrowest fit. */
  private leftOver(coefficients: Float64Array): number {
    let rss = this.squares[0];
    for (let k = 0; k < N; k++) rss -= coefficients[k] * this.atb[0][k];
    return Math.max(0, rss) / (this.weights[0] * (1 - N / this.counts[0]));
  }

  /** The fit of a triangle. @returns false if too few vertices can be reached */
  fit(t: number, noise: number, out: FaceFit): boolean {
    this.gather(t, out, RADII.length - 1, EVEN);
    let low = -Infinity;
    let high = Infinity;
    let found = false;
    out.leftOver = 0;
    for (let k = 0; k < RADII.length; k++) {
      if (this.counts[k] < N + 3 || !this.solve(k, this.row)) continue;
      if (k === 0) out.leftOver = this.leftOver(this.row);
      const variance = this.varianceOf(k);
      // Noise is not the same everywhere.
      const spread = AGREE * Math.max(noise, Math.sqrt(out.leftOver)) * Math.sqrt(variance);
      low = Math.max(low, this.row[0] - spread);
      high = Math.min(high, this.row[0] + spread);
      if (found && low > high) break;
      out.coefficients.set(this.row);
      out.variance = variance;
      found = true;
    }
    return found;
  }

  /** Sums of the normal equations of all radii up to one, over the vertices that can be reached. */
  private gather(t: number, { origin, frame }: FaceFit, widest: number, turn: Turn): void {
    const { mesh, faces, opposite, seenFace, seenVertex, queue } = this;
    const { positions: p, indices } = mesh;
    const { normals, centres, edge } = faces;
    for (let k = 0; k <= widest; k++) {
      this.ata[k].fill(0);
      this.atb[k].fill(0);
      this.squares[k] = this.weights[k] = this.counts[k] = 0;
    }
    for (let k = 0; k < 3; k++) origin[k] = centres[3 * t + k];
    frameAbout(normals[3 * t], normals[3 * t + 1], normals[3 * t + 2], frame);
    const reach = RADII[widest] * edge;
    let head = 0;
    let tail = 0;
    queue[tail++] = t;
    seenFace[t] = t;
    while (head < tail) {
      const u = queue[head++];
      const g0 = normals[3 * t] - normals[3 * u];
      const g1 = normals[3 * t + 1] - normals[3 * u + 1];
      const g2 = normals[3 * t + 2] - normals[3 * u + 2];
      const gap = g0 * g0 + g1 * g1 + g2 * g2;
      const like = Math.exp(-gap / (2 * turn.half * turn.half));
      for (let c = 0; c < 3; c++) {
        const v = indices[3 * u + c];
        // Triangles come in the order of their steps away: a vertex counts by the first.
        if (seenVertex[v] !== t) {
          seenVertex[v] = t;
          this.add(p[3 * v] - origin[0], p[3 * v + 1] - origin[1], p[3 * v + 2] - origin[2], frame, like, widest);
        }
        const beside = opposite[3 * u + c];
        if (beside < 0) continue;
        const w = Math.floor(beside / 3);
        if (seenFace[w] === t) continue;
        seenFace[w] = t;
        const d0 = centres[3 * w] - origin[0];
        const d1 = centres[3 * w + 1] - origin[1];
        const d2 = centres[3 * w + 2] - origin[2];
        if (d0 * d0 + d1 * d1 + d2 * d2 > reach * reach) continue;
        const h0 = normals[3 * t] - normals[3 * w];
        const h1 = normals[3 * t + 1] - normals[3 * w + 1];
        const h2 = normals[3 * t + 2] - normals[3 * w + 2];
        if (h0 * h0 + h1 * h1 + h2 * h2 < turn.most * turn.most) queue[tail++] = w;
      }
    }
  }

  private add(dx: number, dy: number, dz: number, f: Float64Array, like: number, widest: number): void {
    const x = f[0] * dx + f[1] * dy + f[2] * dz;
    const y = f[3] * dx + f[4] * dy + f[5] * dz;
    const z = f[6] * dx + f[7] * dy + f[8] * dz;
    const r2 = (x * x + y * y) / (this.faces.edge * this.faces.edge);
    const { row } = this;
    row[0] = 1;
    row[1] = x;
    row[2] = y;
    row[3] = x * x;
    row[4] = x * y;
    row[5] = y * y;
    for (let k = widest; k >= 0; k--) {
      const q = 1 - r2 / (RADII[k] * RADII[k]);
      if (q <= 0) return;
      const w = like * q;
      const ata = this.ata[k];
      const atb = this.atb[k];
      for (let i = 0; i < N; i++) {
        const wi = w * row[i];
        atb[i] += wi * z;
        for (let j = 0; j <= i; j++) ata[N * i + j] += wi * row[j];
      }
      this.squares[k] += w * z * z;
      this.weights[k] += w;
      this.counts[k]++;
    }
  }

  private solve(k: number, out: Float64Array): boolean {
    const { work } = this;
    work.set(this.ata[k]);
    out.set(this.atb[k]);
    return solveCholeskyInPlace(work, out, N);
  }

  /** Variance of the height in the middle, in parts of the noise's: by the factor that `solve` left behind. */
  private varianceOf(k: number): number {
    const { work, unit } = this;
    // First column of the inverse's factor: solve L u = e0; then |u|² is the first entry of the inverse.
    let sum = 0;
    for (let i = 0; i < N; i++) {
      let s = i === 0 ? 1 : 0;
      for (let j = 0; j < i; j++) s -= work[N * i + j] * unit[j];
      unit[i] = s / work[N * i + i];
      sum += unit[i] * unit[i];
    }
    // Weights of an arch have a mean square of 2/3 of their mean.
    return (2 / 3) * sum * Math.min(1, this.weights[k] / this.counts[k] / 0.5);
  }
}

export const newFit = (): FaceFit => ({
  origin: new Float64Array(3),
  frame: new Float64Array(9),
  coefficients: new Float64Array(N),
  variance: 1,
  leftOver: 0,
});

/** Height of a fit at a place across. */
export function heightAt(c: Float64Array, x: number, y: number): number {
  return c[0] + x * (c[1] + c[3] * x + c[4] * y) + y * (c[2] + c[5] * y);
}
