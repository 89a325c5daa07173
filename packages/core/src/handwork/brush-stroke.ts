import type { TriangleMesh } from '../geometry/triangle-mesh.js';
import { frameAbout } from '../math/mat4.js';
import { PlaneFit } from '../math/plane-fit.js';
import { solveCholeskyInPlace } from '../math/solve.js';
import type { BrushReach } from './brush-reach.js';
import type { BrushEdit, Dab } from './hand-edit.js';

/** Part of the way to the fitted surface that one dab goes at full strength: dabs of a stroke overlap about five times. */
const DAB_SHARE = 0.5;
/** Normals that turn so far from the one under the brush, radians, count for 1/e when edges are kept: 20°. */
const EDGE_TURN = 0.35;
/** Rounds in which what lies far off the fit loses its say. */
const FIT_ROUNDS = 3;
/** Fewer vertices get a plane. */
const LEAST_FOR_CURVES = 10;
const LEAST_FOR_PLANE = 4;
/** How many expected errors a measured vertex may go from where it was. */
const ERRORS = 2;

/**
 * One stroke of a brush over a surface whose vertices it moves; rims stay. Dab by dab, always with the same result for the
 * same dabs.
 *
 * *Smooth* goes towards the quadric that fits what lies under the brush, so that the brush's size says how large a bump is
 * smoothed away while the surface's own bend stays (M. Alexa et al., 2003, Computing and rendering point set surfaces:
 * the projection onto local polynomials); what lies far off loses its say. With edges kept, what turns away counts less and
 * moves less, as in bilateral filtering (S. Fleishman, I. Drori, D. Cohen-Or, 2003, Bilateral mesh denoising).
 * *Flatten* goes towards the plane that fits the first dab. *Push* moves along each vertex's own normal as it was when the
 * stroke reached it, each as far as the dab that covers it best.
 */
export class BrushStroke {
  /** Vertices that have moved, and where each was before, 3n. */
  readonly touched: number[] = [];
  readonly before: number[] = [];
  private readonly placeOf = new Map<number, number>();
  private readonly pushed: number[] = [];
  private readonly normals: number[] = [];
  private plane?: { middle: readonly number[]; normal: readonly number[] };
  private readonly n = new Float64Array(3);
  private readonly fit = new QuadricFit();
  private weights = new Float64Array(0);
  /** How far the vertex that moved most was moved by the last dab, mm. */
  farthest = 0;

  /** @param base where vertices were when the work began, 3n */
  constructor(
    private readonly mesh: TriangleMesh,
    private readonly reach: BrushReach,
    private readonly base: Float32Array,
    private readonly edit: Omit<BrushEdit, 'dabs'>,
  ) {}

  /** @returns how many vertices it reached: `reach.vertices` */
  dab(dab: Dab): number {
    this.farthest = 0;
    const count = this.reach.find(dab);
    if (count === 0) return 0;
    if (this.edit.kind === 'push') this.push(dab[4]);
    else if (this.edit.kind === 'flatten') this.flatten(dab[4]);
    else this.smooth(dab);
    this.reach.hasMoved(this.farthest);
    return count;
  }

  private push(pressure: number): void {
    const { vertices, share, count, rim } = this.reach;
    // Normals of all before any moves.
    for (let i = 0; i < count; i++) if (!rim[vertices[i]]) this.take(vertices[i]);
    for (let i = 0; i < count; i++) {
      const v = vertices[i];
      if (rim[v]) continue;
      const at = this.placeOf.get(v)!;
      const more = pressure * share[i] - this.pushed[at];
      if (more <= 0) continue;
      this.pushed[at] += more;
      const by = more * this.edit.amount;
      this.move(v, by * this.normals[3 * at], by * this.normals[3 * at + 1], by * this.normals[3 * at + 2]);
    }
  }

  private flatten(pressure: number): void {
    const { vertices, share, count, rim } = this.reach;
    const p = this.mesh.positions;
    if (!this.plane) {
      if (count < LEAST_FOR_PLANE) return;
      const sums = new PlaneFit();
      for (let i = 0; i < count; i++) {
        const v = 3 * vertices[i];
        sums.add(p[v], p[v + 1], p[v + 2]);
      }
      this.plane = sums.solve();
    }
    const { middle: m, normal: n } = this.plane;
    for (let i = 0; i < count; i++) {
      const v = vertices[i];
      if (rim[v]) continue;
      const off = n[0] * (p[3 * v] - m[0]) + n[1] * (p[3 * v + 1] - m[1]) + n[2] * (p[3 * v + 2] - m[2]);
      const by = -off * DAB_SHARE * this.edit.amount * pressure * share[i];
      this.take(v);
      this.move(v, by * n[0], by * n[1], by * n[2]);
    }
  }

  private smooth([, , , radius, pressure]: Dab): void {
    const { vertices, share, count, rim } = this.reach;
    if (count < LEAST_FOR_PLANE) return;
    if (this.weights.length < count) this.weights = new Float64Array(2 * count);
    const facing = this.facing();
    const w = this.weights;
    for (let i = 0; i < count; i++) w[i] = share[i] * this.alike(vertices[i], facing);
    if (!this.fit.solve(this.mesh.positions, vertices, w, count, facing, radius)) return;
    const { frame: f } = this.fit;
    for (let i = 0; i < count; i++) {
      const v = vertices[i];
      if (rim[v]) continue;
      const by = this.fit.heights[i] * DAB_SHARE * this.edit.amount * pressure * w[i];
      this.take(v);
      this.move(v, by * f[6], by * f[7], by * f[8]);
    }
  }

  /** The normal under the brush: the mean of all that turn like it. */
  private facing(): Float64Array {
    const { vertices, share, count } = this.reach;
    const facing = new Float64Array(3);
    this.reach.normalAt(vertices[0], facing);
    const sum = new Float64Array(3);
    for (let round = 0; round < 2; round++) {
      sum.fill(0);
      for (let i = 0; i < count; i++) {
        const w = share[i] * this.alike(vertices[i], facing);
        for (let k = 0; k < 3; k++) sum[k] += w * this.n[k];
      }
      const l = Math.hypot(sum[0], sum[1], sum[2]);
      if (l > 0) for (let k = 0; k < 3; k++) facing[k] = sum[k] / l;
    }
    return facing;
  }

  /** How much a vertex counts by how it turns; its normal is then in `n`. */
  private alike(v: number, facing: Float64Array): number {
    this.reach.normalAt(v, this.n);
    if (!this.edit.keepEdges) return 1;
    const cos = this.n[0] * facing[0] + this.n[1] * facing[1] + this.n[2] * facing[2];
    const turn = Math.acos(Math.max(-1, Math.min(1, cos))) / EDGE_TURN;
    return Math.exp(-turn * turn);
  }

  /** Remembers where a vertex was. @returns its place in `touched` */
  private take(v: number): number {
    const known = this.placeOf.get(v);
    if (known !== undefined) return known;
    const at = this.touched.length;
    this.placeOf.set(v, at);
    this.touched.push(v);
    for (let k = 0; k < 3; k++) this.before.push(this.mesh.positions[3 * v + k]);
    if (this.edit.kind === 'push') {
      this.reach.normalAt(v, this.n);
      this.normals.push(this.n[0], this.n[1], this.n[2]);
      this.pushed.push(0);
    }
    return at;
  }

  private move(v: number, dx: number, dy: number, dz: number): void {
    const p = this.mesh.positions;
    const o = this.base;
    const at = 3 * v;
    let [x, y, z] = [p[at] + dx, p[at + 1] + dy, p[at + 2] + dz];
    const expected = this.edit.withinError && !this.mesh.invented?.[v] ? this.mesh.expectedError?.[v] : undefined;
    if (expected !== undefined && expected >= 0) {
      const off = Math.hypot(x - o[at], y - o[at + 1], z - o[at + 2]);
      const most = ERRORS * expected;
      if (off > most) {
        const s = most / off;
        [x, y, z] = [o[at] + s * (x - o[at]), o[at + 1] + s * (y - o[at + 1]), o[at + 2] + s * (z - o[at + 2])];
      }
    }
    this.farthest = Math.max(this.farthest, Math.hypot(x - p[at], y - p[at + 1], z - p[at + 2]));
    p[at] = x;
    p[at + 1] = y;
    p[at + 2] = z;
  }
}

/** Fits a height over the plane across a normal by a quadric, or by a plane where vertices are few. */
class QuadricFit {
  /** Two directions along, and one off, the surface: rows of 3. */
  readonly frame = new Float64Array(9);
  /** How far each vertex has to go along the last of these to lie on the fit, mm. */
  heights = new Float64Array(0);
  private readonly a = new Float64Array(36);
  private readonly b = new Float64Array(6);
  private readonly row = new Float64Array(6);

  solve(
    p: Float32Array,
    vertices: Uint32Array,
    weights: Float64Array,
    count: number,
    normal: Float64Array,
    scale: number,
  ): boolean {
    if (this.heights.length < count) this.heights = new Float64Array(2 * count);
    const { frame: f, heights, row } = this;
    frameAbout(normal[0], normal[1], normal[2], f);
    const terms = count < LEAST_FOR_CURVES ? 3 : 6;
    const o = 3 * vertices[0];
    const solution = new Float64Array(6);
    let spread = 0;
    for (let round = 0; round < FIT_ROUNDS; round++) {
      this.a.fill(0);
      this.b.fill(0);
      for (let i = 0; i < count; i++) {
        const z = this.local(p, 3 * vertices[i], o, scale);
        const off = round > 0 ? heights[i] / spread : 0;
        const w = weights[i] / (1 + off * off);
        for (let r = 0; r < terms; r++) {
          this.b[r] += w * row[r] * z;
          for (let c = 0; c <= r; c++) this.a[r * terms + c] += w * row[r] * row[c];
        }
      }
      for (let r = 0; r < terms; r++) this.a[r * terms + r] *= 1 + 1e-9;
      if (!solveCholeskyInPlace(this.a, this.b, terms)) return false;
      solution.set(this.b);
      let squares = 0;
      let sum = 0;
      for (let i = 0; i < count; i++) {
        const z = this.local(p, 3 * vertices[i], o, scale);
        let h = 0;
        for (let r = 0; r < terms; r++) h += solution[r] * row[r];
        heights[i] = (h - z) * scale;
        squares += weights[i] * heights[i] * heights[i];
        sum += weights[i];
      }
      spread = 2 * Math.sqrt(squares / sum);
      if (!(spread > 0)) return true;
    }
    return true;
  }

  /** Puts 1, x, y, x², xy, y² of a vertex into `row`. @returns its height; all in parts of the brush */
  private local(p: Float32Array, v: number, o: number, scale: number): number {
    const { frame: f, row } = this;
    const dx = (p[v] - p[o]) / scale;
    const dy = (p[v + 1] - p[o + 1]) / scale;
    const dz = (p[v + 2] - p[o + 2]) / scale;
    const x = f[0] * dx + f[1] * dy + f[2] * dz;
    const y = f[3] * dx + f[4] * dy + f[5] * dz;
    row[0] = 1;
    row[1] = x;
    row[2] = y;
    row[3] = x * x;
    row[4] = x * y;
    row[5] = y * y;
    return f[6] * dx + f[7] * dy + f[8] * dz;
  }
}
