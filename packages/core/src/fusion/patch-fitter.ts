import { PlaneFit } from '../math/plane-fit.js';
import { solveCholeskyInPlace } from '../math/solve.js';
import { PatchFrame } from './patch-frame.js';
import { INCIDENCES, incidenceClass, type MeasuredPoints } from './measured-points.js';

/** Points a fit looks at most. */
const MOST = 6000;
/** They are sorted by distance into so many buckets. */
const BUCKETS = 64;
/** Wanted points of the fits tried, from small to large. */
const SIZES = [20, 40, 80, 160, 320, 640];
/**
 * A larger fit is taken as long as it lies within so many of its and all smaller ones' standard deviations: 2 keeps noise
 * lower and rounds more; 1 was best on jug, bunny and fork at 0.1 mm of noise.
 */
const AGREEMENT = 1;
/** Points farther than so many standard deviations from the surface count nothing. */
const OUTLYING = 4;
/** Least cosine between a normal and the way to the sensor: what is seen flatter is not used. */
export const FLATTEST = 0.08;
/** From here down on points count less, whatever their spread says: edges of steps lie there. */
const FLAT = 0.3;
/** What lies within so many grains counts as near by. */
export const NEAR = 2.5;
/** Points near by that carry a fit, at least. */
const LEAST = 8;

/** How a patch is fitted. */
export interface PatchManner {
  /** Largest departure, in standard deviations, over which a larger fit is still believed. */
  agreement: number;
  /** Points farther off than so many standard deviations count nothing. */
  outlying: number;
  /** The smallest of the sizes tried, and the one after the largest. */
  sizes: readonly [number, number];
  /** Farthest reach of a fit, in grains. */
  farthest: number;
}

export const PATCH_MANNER: PatchManner = { agreement: AGREEMENT, outlying: OUTLYING, sizes: [0, 5], farthest: 12 };

/** Edges kept, what lies between, or noise away. */
export type SurfaceShape = 'crisp' | 'even' | 'calm';

/** How patches are fitted for each shape. */
export const PATCH_MANNERS: Record<SurfaceShape, PatchManner> = {
  crisp: PATCH_MANNER,
  even: PATCH_MANNER,
  calm: { agreement: 2.5, outlying: OUTLYING, sizes: [2, 6], farthest: 17 },
};

/**
 * Fits a quadratic patch to the points around a place, robustly, as large as the data allow: several sizes are tried from small
 * to large, and the largest is taken that agrees with all smaller ones within their own standard deviations. On an even
 * body hundreds of points are averaged; beside an edge or on fine detail a few.
 *
 * Sources: D. Levin (1998), The approximation power of moving least-squares; C. Öztireli, G. Guennebaud, M. Gross (2009),
 * Feature preserving point set surfaces based on non-linear kernel regression (robust weights); A. Goldenshluger,
 * A. Nemirovski (1997), On spatially adaptive estimation of nonparametric regression (the choice of size by
 * intersecting confidence intervals).
 */
export class PatchFitter {
  /** Its centre lies about on the surface; heights are measured from here. */
  readonly frame = new PatchFrame();
  /** Height over the plane: c0 + c1 s + c2 t + c3 s² + c4 st + c5 t². */
  readonly c = new Float64Array(6);
  /**
   * Standard deviation of the height at the centre that follows from the points' own, mm. That the size was chosen by the same
   * points is not in it: on an even body the height of a single patch strays up to 1.8 times as far.
   */
  sigma = 0;
  /** Reach of the size taken, mm. */
  reach = 0;
  /** Points within two and a half grains that face the patch's way. */
  near = 0;
  /** Share of these that lie on the patch: all on an even body, half beside an edge. */
  explained = 0;
  /** Cosine of the squarest view of a point near by on the patch, 0 if there is none, its scan, and how far its sensor stood away, mm. */
  squarest = 0;
  squarestScan = 0;
  range = NaN;
  /** Spread of the points near by that lie on the patch, one standard deviation, mm. */
  residual = NaN;
  /** Scans (1) with a point within two and a half grains that lies on the patch. */
  readonly measuredBy: Uint8Array;

  private readonly ids = new Uint32Array(MOST);
  private readonly squared = new Float32Array(MOST);
  private readonly s = new Float64Array(MOST);
  private readonly t = new Float64Array(MOST);
  private readonly h = new Float64Array(MOST);
  private readonly d = new Float64Array(MOST);
  private readonly w = new Float64Array(MOST);
  private readonly variance = new Float64Array(MOST);
  private readonly key = new Int32Array(MOST);
  private readonly cosine = new Float32Array(MOST);
  private readonly point = new Uint32Array(MOST);
  private readonly of = new Uint32Array(MOST);
  private readonly bucket = new Uint32Array(BUCKETS + 2);
  private readonly a = new Float64Array(36);
  private readonly inverse = new Float64Array(36);
  private readonly e = new Float64Array(6);
  private readonly b = new Float64Array(6);
  private readonly best = new Float64Array(6);
  /** How many times more points there are than one at each grain of a scan. */
  private readonly crowding: number;
  private gathered = 0;
  /** Reach of what was gathered, mm. */
  private farthest = 0;
  /** Points are in the order of their squared distances but for differences up to this, mm². */
  private unsorted = 0;
  /** Standard deviation of the centre in the last solution, about. */
  private std = 0;

  constructor(
    private readonly points: MeasuredPoints,
    private readonly manner: PatchManner,
  ) {
    this.measuredBy = new Uint8Array(points.scans.length);
    this.crowding = (points.grain / points.spacing) ** 2;
  }

  /**
   * Starts at a measured point, with the plane of its own scan's points around it.
   * @returns false if too few lie there
   */
  start(i: number): boolean {
    const { positions: p, towardsSensor: q, scan, grain, grid } = this.points;
    const [x, y, z] = [p[3 * i], p[3 * i + 1], p[3 * i + 2]];
    for (let r = NEAR * grain, tries = 0; tries < 3; tries++, r *= 1.6) {
      const found = grid.within(x, y, z, r, this.ids);
      const plane = new PlaneFit();
      for (let k = 0; k < found; k++) {
        const j = 3 * this.ids[k];
        if (scan[this.ids[k]] !== scan[i]) continue;
        if (q[3 * i] * q[j] + q[3 * i + 1] * q[j + 1] + q[3 * i + 2] * q[j + 2] < 0.5) continue;
        plane.add(p[j] - x, p[j + 1] - y, p[j + 2] - z);
      }
      if (plane.count < LEAST) continue;
      const n = plane.solve().normal;
      const sign = n[0] * q[3 * i] + n[1] * q[3 * i + 1] + n[2] * q[3 * i + 2] < 0 ? -1 : 1;
      this.frame.moveTo(x, y, z);
      this.frame.turnTo(sign * n[0], sign * n[1], sign * n[2]);
      return true;
    }
    return false;
  }

  /**
   * Fits up to `most` sizes, from small to large. With `settle` centre and normal are moved onto the result, and the
   * coefficients belong to the old axes: call again for the patch itself. `onto` holds on to the plane that the frame stands for:
   * what lies far off it counts nothing from the start.
   * @returns false if the data do not carry a patch here
   */
  fit(most: number, settle: boolean, onto = false): boolean {
    const { c, manner } = this;
    const first = manner.sizes[0];
    const end = Math.min(first + most, manner.sizes[1]);
    if (!this.gather(end)) return false;
    const density = this.gathered / (Math.PI * this.farthest * this.farthest);
    let low = -Infinity;
    let high = Infinity;
    let some = false;
    for (let k = first; k < end; k++) {
      let r = Math.sqrt((SIZES[k] * this.crowding) / (Math.PI * density));
      const last = r >= this.farthest || k === end - 1;
      if (last) r = this.farthest;
      if (!some) c.fill(0);
      let ok = this.solve(r, some || onto);
      if (ok && !some) ok = this.solve(r, true);
      if (ok) {
        const s = this.std;
        const lowest = Math.max(low, c[0] - manner.agreement * s);
        const highest = Math.min(high, c[0] + manner.agreement * s);
        if (some && lowest > highest) break;
        low = lowest;
        high = highest;
        some = true;
        this.sigma = s;
        this.reach = r;
        this.best.set(c);
      }
      if (last) break;
    }
    if (!some) return false;
    c.set(this.best);
    if (settle) this.frame.settle(c);
    return true;
  }

  /** Collects the points around that face the patch's way, near ones first. */
  private gather(end: number): boolean {
    const { positions: p, towardsSensor: q, scan, trust, grain, grid, variance } = this.points;
    const { ids, squared } = this;
    const { x, y, z, nx, ny, nz, ux, uy, uz, vx, vy, vz } = this.frame;
    const around = NEAR * grain;
    const about = grid.within(x, y, z, around, ids, squared);
    let near = 0;
    for (let k = 0; k < about; k++) {
      const j = 3 * ids[k];
      if (nx * q[j] + ny * q[j + 1] + nz * q[j + 2] >= FLATTEST) near++;
    }
    this.near = near;
    const wanted = SIZES[end - 1] * this.crowding;
    // The largest fit reaches the patches beside it, however many points that takes.
    const whole = end === this.manner.sizes[1];
    const r = Math.min(
      this.manner.farthest * grain,
      around * Math.max(whole ? 1 : 0, Math.sqrt(wanted / Math.max(1, near))),
    );
    this.farthest = r;
    const found = r === around ? about : grid.within(x, y, z, r, ids, squared);
    // Counting sort by distance, so that a fit of less reach reads fewer points.
    const { bucket } = this;
    bucket.fill(0);
    const scale = BUCKETS / (r * r * 1.0001);
    this.unsorted = 1 / scale;
    for (let k = 0; k < found; k++) bucket[((squared[k] * scale) | 0) + 1]++;
    for (let k = 1; k < bucket.length; k++) bucket[k] += bucket[k - 1];
    for (let k = 0; k < found; k++) this.of[bucket[(squared[k] * scale) | 0]++] = k;
    let m = 0;
    for (let k = 0; k < found; k++) {
      const f = this.of[k];
      const i = ids[f];
      const j = 3 * i;
      const c = nx * q[j] + ny * q[j + 1] + nz * q[j + 2];
      if (c < FLATTEST) continue;
      const dx = p[j] - x;
      const dy = p[j + 1] - y;
      const dz = p[j + 2] - z;
      this.s[m] = dx * ux + dy * uy + dz * uz;
      this.t[m] = dx * vx + dy * vy + dz * vz;
      this.h[m] = dx * nx + dy * ny + dz * nz;
      this.d[m] = squared[f];
      const key = scan[i] * INCIDENCES + incidenceClass(c);
      this.key[m] = key;
      this.cosine[m] = c;
      this.point[m] = i;
      const v = variance[key];
      this.variance[m] = v;
      this.w[m] = ((c < FLAT ? (c / FLAT) * (c / FLAT) : 1) * (trust ? trust[i] : 1)) / v;
      m++;
    }
    this.gathered = m;
    return m >= LEAST;
  }

  /** One weighted least-squares fit within a reach, robust against the coefficients at hand if asked. */
  private solve(r: number, robust: boolean): boolean {
    const { c, s: ps, t: pt, h: ph, d: pd, w: pw, variance, a, b, e, inverse, unsorted } = this;
    const r2 = r * r;
    const limit = this.manner.outlying * this.manner.outlying;
    const k0 = c[0];
    const k1 = c[1];
    const k2 = c[2];
    const k3 = c[3];
    const k4 = c[4];
    const k5 = c[5];
    let m0 = 0;
    let m1 = 0;
    let m2 = 0;
    let m3 = 0;
    let m4 = 0;
    let m5 = 0;
    let c30 = 0;
    let c21 = 0;
    let c12 = 0;
    let c03 = 0;
    let f40 = 0;
    let f31 = 0;
    let f22 = 0;
    let f13 = 0;
    let f04 = 0;
    let h0 = 0;
    let h1 = 0;
    let h2 = 0;
    let h3 = 0;
    let h4 = 0;
    let h5 = 0;
    let count = 0;
    const inv = 1 / r;
    const m = this.gathered;
    for (let k = 0; k < m; k++) {
      const d = pd[k];
      // Sorted by distance but for the rest within a bucket.
      if (d >= r2) {
        if (d > r2 + unsorted) break;
        continue;
      }
      const g = 1 - d / r2;
      let w = pw[k] * g * g;
      const s = ps[k];
      const t = pt[k];
      const h = ph[k];
      if (robust) {
        const off = h - (k0 + k1 * s + k2 * t + k3 * s * s + k4 * s * t + k5 * t * t);
        const z = (off * off) / (limit * variance[k]);
        if (z >= 1) continue;
        w *= (1 - z) * (1 - z);
      }
      count++;
      const x = s * inv;
      const y = t * inv;
      const wx = w * x;
      const wy = w * y;
      const wxx = wx * x;
      const wxy = wx * y;
      const wyy = wy * y;
      m0 += w;
      m1 += wx;
      m2 += wy;
      m3 += wxx;
      m4 += wxy;
      m5 += wyy;
      c30 += wxx * x;
      c21 += wxx * y;
      c12 += wx * y * y;
      c03 += wyy * y;
      f40 += wxx * x * x;
      f31 += wxx * x * y;
      f22 += wxx * y * y;
      f13 += wyy * x * y;
      f04 += wyy * y * y;
      h0 += w * h;
      h1 += wx * h;
      h2 += wy * h;
      h3 += wxx * h;
      h4 += wxy * h;
      h5 += wyy * h;
    }
    if (count < LEAST) return false;
    const tiny = 1e-6 * m0;
    // Keeps curvatures finite where points lie on one side only; costs half a per cent of them.
    const ridge = 1e-4 * m0;
    a[0] = m0;
    a[6] = m1;
    a[7] = m3 + tiny;
    a[12] = m2;
    a[13] = m4;
    a[14] = m5 + tiny;
    a[18] = m3;
    a[19] = c30;
    a[20] = c21;
    a[21] = f40 + ridge;
    a[24] = m4;
    a[25] = c21;
    a[26] = c12;
    a[27] = f31;
    a[28] = f22 + ridge;
    a[30] = m5;
    a[31] = c12;
    a[32] = c03;
    a[33] = f22;
    a[34] = f13;
    a[35] = f04 + ridge;
    b[0] = h0;
    b[1] = h1;
    b[2] = h2;
    b[3] = h3;
    b[4] = h4;
    b[5] = h5;
    inverse.set(a);
    if (!solveCholeskyInPlace(a, b, 6)) return false;
    e.fill(0);
    e[0] = 1;
    if (!solveCholeskyInPlace(inverse, e, 6)) return false;
    // First column of the inverse: with weights of one over the variance times a kernel below 1, the variance at the
    // centre is somewhat below its first entry; `describe` has it exactly.
    this.std = Math.sqrt(0.6 * e[0]);
    c[0] = b[0];
    c[1] = b[1] * inv;
    c[2] = b[2] * inv;
    c[3] = b[3] * inv * inv;
    c[4] = b[4] * inv * inv;
    c[5] = b[5] * inv * inv;
    return true;
  }

  /**
   * What the patch at hand knows of itself: its standard deviation, from each point's own, and the scans that measured it. Adds
   * to sums of squared residuals by scan and incidence, for learning the noise.
   * @returns false if it can't be told: then it is no patch
   */
  describe(sums?: { squares: Float64Array; counts: Float64Array }): boolean {
    const { c, s: ps, t: pt, h: ph, d: pd, w: pw, variance, key, measuredBy, e, unsorted } = this;
    const r2 = this.reach * this.reach;
    const limit = this.manner.outlying * this.manner.outlying;
    measuredBy.fill(0);
    const around = (NEAR * this.points.grain) ** 2;
    // Solved again for the column of the inverse by which each point pulls the centre.
    this.best.set(c);
    if (!this.solve(this.reach, true)) return false;
    c.set(this.best);
    const inv = 1 / this.reach;
    let spread = 0;
    let near = 0;
    let on = 0;
    let nearSquares = 0;
    this.squarest = 0;
    this.range = NaN;
    for (let k = 0; k < this.gathered; k++) {
      if (pd[k] > Math.max(r2, around) + unsorted) break;
      const s = ps[k];
      const t = pt[k];
      const off = ph[k] - (c[0] + c[1] * s + c[2] * t + c[3] * s * s + c[4] * s * t + c[5] * t * t);
      const z = (off * off) / (limit * variance[k]);
      if (pd[k] < around) {
        near++;
        if (z < 1) {
          on++;
          nearSquares += off * off;
          if (this.cosine[k] > this.squarest) {
            this.squarest = this.cosine[k];
            this.squarestScan = (key[k] / INCIDENCES) | 0;
            this.range = this.points.range[this.point[k]];
          }
        }
      }
      if (z >= 1 || pd[k] >= r2) continue;
      const g = 1 - pd[k] / r2;
      const w = pw[k] * g * g * (1 - z) * (1 - z);
      const x = s * inv;
      const y = t * inv;
      const pull = w * (e[0] + e[1] * x + e[2] * y + e[3] * x * x + e[4] * x * y + e[5] * y * y);
      spread += pull * pull * variance[k];
      if (pd[k] < around) measuredBy[(key[k] / INCIDENCES) | 0] = 1;
      if (sums) {
        sums.squares[key[k]] += off * off;
        sums.counts[key[k]]++;
      }
    }
    this.sigma = Math.sqrt(spread);
    this.residual = on > 0 ? Math.sqrt(nearSquares / on) : NaN;
    this.explained = near > 0 ? on / near : 0;
    return true;
  }
}
