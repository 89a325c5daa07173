import type { TriangleMesh } from '../geometry/triangle-mesh.js';
import { overlappingPairs } from './overlaps.js';
import type { Patch } from './patch.js';

/** Weights of edges stay between these: badly shaped triangles neither pull backwards nor decide alone. */
const LEAST_WEIGHT = 0.02;
const MOST_WEIGHT = 20;
/** What is left of the misfit once a sweep gains nothing any more. */
const SETTLED = 1e-10;
/** More numbers of pairs than this are no single triangles that fold over. */
const FEW_OVERLAPS = 200;
/** Triangles with less than this of a square of their longest edge have no shape to keep. */
const SLIVER = 1e-6;

/** How a patch lies flat. */
export interface Flatness {
  /** Stretch of lengths, more or less than 1, that 95 % of the area stay below; 1 = none. */
  stretch95: number;
  /** Triangles that lie the wrong way up. */
  flipped: number;
}

/**
 * Lays a patch flat with its triangles as little changed as can be: each turned as it lies best, then all corners moved to
 * agree, again and again. A round costs some sweeps over the edges; it starts from a layout that is right in the large.
 * Source: L. Liu, L. Zhang, Y. Xu, C. Gotsman, S. Gortler (2008), A local/global approach to mesh parameterization ("as rigid
 * as possible").
 */
export class PatchFlattener {
  /** Two coordinates a vertex of the patch, mm. */
  readonly uv: Float64Array;
  /** Each triangle in its own plane: the second corner's x, the third's x and y; the first is the origin. */
  private readonly rest: Float64Array;
  /** Weight of the edge across from each corner. */
  private readonly weight: Float64Array;
  private readonly area: Float64Array;
  private readonly diagonal: Float64Array;

  constructor(
    mesh: TriangleMesh,
    readonly patch: Patch,
    uv: Float64Array,
  ) {
    this.uv = uv;
    const m = patch.triangles.length;
    this.rest = new Float64Array(3 * m);
    this.weight = new Float64Array(3 * m);
    this.area = new Float64Array(m);
    this.diagonal = new Float64Array(patch.vertices.length).fill(1e-9);
    for (let i = 0; i < m; i++) this.measureTriangle(mesh, i);
  }

  private measureTriangle({ positions: p, indices }: TriangleMesh, i: number): void {
    const t = this.patch.triangles[i];
    const [a, b, c] = [3 * indices[3 * t], 3 * indices[3 * t + 1], 3 * indices[3 * t + 2]];
    const [ux, uy, uz] = [p[b] - p[a], p[b + 1] - p[a + 1], p[b + 2] - p[a + 2]];
    const [vx, vy, vz] = [p[c] - p[a], p[c + 1] - p[a + 1], p[c + 2] - p[a + 2]];
    const long = Math.sqrt(ux * ux + uy * uy + uz * uz);
    const along = long > 0 ? (ux * vx + uy * vy + uz * vz) / long : 0;
    const up = Math.sqrt(Math.max(0, vx * vx + vy * vy + vz * vz - along * along));
    this.rest[3 * i] = long;
    this.rest[3 * i + 1] = along;
    this.rest[3 * i + 2] = up;
    const twice = long * up;
    this.area[i] = twice / 2;
    const scale = Math.max(long * long, along * along + up * up);
    const { corners } = this.patch;
    // Cotangents of the angles: that at a corner weighs the edge across.
    const w = this.weight;
    const at = 3 * i;
    if (twice > SLIVER * scale) {
      w[at] = along / up;
      w[at + 1] = (long - along) / up;
      w[at + 2] = (up * up - along * (long - along)) / twice;
    } else w.fill(0, at, at + 3);
    for (let k = 0; k < 3; k++) {
      w[at + k] = Math.max(LEAST_WEIGHT, Math.min(MOST_WEIGHT, w[at + k]));
      this.diagonal[corners[at + ((k + 1) % 3)]] += w[at + k];
      this.diagonal[corners[at + ((k + 2) % 3)]] += w[at + k];
    }
  }

  /**
   * @param rounds of turning and moving
   * @param sweeps over the edges in each
   */
  relax(rounds: number, sweeps: number): void {
    const n = this.uv.length;
    const wanted = new Float64Array(n);
    const work = { r: new Float64Array(n), p: new Float64Array(n), q: new Float64Array(n) };
    for (let i = 0; i < rounds; i++) {
      this.turn(wanted);
      this.moveTo(wanted, sweeps, work);
    }
  }

  /** Conjugate gradients on both coordinates at once. */
  private moveTo(
    wanted: Float64Array,
    sweeps: number,
    { r, p, q }: { r: Float64Array; p: Float64Array; q: Float64Array },
  ): void {
    const { uv, diagonal } = this;
    const n = uv.length;
    this.differences(uv, q);
    let [ru, rv] = [0, 0];
    for (let i = 0; i < n; i += 2) {
      const d = diagonal[i >> 1];
      r[i] = wanted[i] - q[i];
      r[i + 1] = wanted[i + 1] - q[i + 1];
      p[i] = r[i] / d;
      p[i + 1] = r[i + 1] / d;
      ru += r[i] * p[i];
      rv += r[i + 1] * p[i + 1];
    }
    const [endU, endV] = [SETTLED * ru, SETTLED * rv];
    for (let k = 0; k < sweeps; k++) {
      this.differences(p, q);
      let [pu, pv] = [0, 0];
      for (let i = 0; i < n; i += 2) {
        pu += p[i] * q[i];
        pv += p[i + 1] * q[i + 1];
      }
      const alphaU = pu > 0 && ru > endU ? ru / pu : 0;
      const alphaV = pv > 0 && rv > endV ? rv / pv : 0;
      if (alphaU === 0 && alphaV === 0) return;
      let [nextU, nextV] = [0, 0];
      for (let i = 0; i < n; i += 2) {
        const d = diagonal[i >> 1];
        uv[i] += alphaU * p[i];
        uv[i + 1] += alphaV * p[i + 1];
        r[i] -= alphaU * q[i];
        r[i + 1] -= alphaV * q[i + 1];
        nextU += (r[i] * r[i]) / d;
        nextV += (r[i + 1] * r[i + 1]) / d;
      }
      const betaU = ru > 0 ? nextU / ru : 0;
      const betaV = rv > 0 ? nextV / rv : 0;
      [ru, rv] = [nextU, nextV];
      for (let i = 0; i < n; i += 2) {
        const d = diagonal[i >> 1];
        p[i] = r[i] / d + betaU * p[i];
        p[i + 1] = r[i + 1] / d + betaV * p[i + 1];
      }
    }
  }

  /** Weighted differences of each vertex to its neighbours. */
  private differences(x: Float64Array, out: Float64Array): void {
    const { weight: w } = this;
    const { corners } = this.patch;
    out.fill(0);
    for (let at = 0; at < corners.length; at += 3) {
      const a = 2 * corners[at];
      const b = 2 * corners[at + 1];
      const c = 2 * corners[at + 2];
      const bc = w[at] * (x[b] - x[c]);
      const ca = w[at + 1] * (x[c] - x[a]);
      const ab = w[at + 2] * (x[a] - x[b]);
      out[a] += ab - ca;
      out[b] += bc - ab;
      out[c] += ca - bc;
      const bcV = w[at] * (x[b + 1] - x[c + 1]);
      const caV = w[at + 1] * (x[c + 1] - x[a + 1]);
      const abV = w[at + 2] * (x[a + 1] - x[b + 1]);
      out[a + 1] += abV - caV;
      out[b + 1] += bcV - abV;
      out[c + 1] += caV - bcV;
    }
  }

  /** The differences that each triangle asks for, turned as it lies. */
  private turn(wanted: Float64Array): void {
    const { uv, rest, weight: w } = this;
    const { corners } = this.patch;
    wanted.fill(0);
    for (let at = 0; at < corners.length; at += 3) {
      const a = 2 * corners[at];
      const b = 2 * corners[at + 1];
      const c = 2 * corners[at + 2];
      const long = rest[at];
      const along = rest[at + 1];
      const up = rest[at + 2];
      const abx = uv[b] - uv[a];
      const aby = uv[b + 1] - uv[a + 1];
      const bcx = uv[c] - uv[b];
      const bcy = uv[c + 1] - uv[b + 1];
      const cax = uv[a] - uv[c];
      const cay = uv[a + 1] - uv[c + 1];
      // Rest edges: ab = (long, 0), bc = (along − long, up), ca = (−along, −up).
      const bx = along - long;
      let cos = w[at + 2] * abx * long + w[at] * (bcx * bx + bcy * up) - w[at + 1] * (cax * along + cay * up);
      let sin = w[at + 2] * aby * long + w[at] * (bcy * bx - bcx * up) - w[at + 1] * (cay * along - cax * up);
      const length = Math.sqrt(cos * cos + sin * sin);
      if (length > 0) {
        cos /= length;
        sin /= length;
      } else cos = 1;
      const abU = w[at + 2] * cos * long;
      const abV = w[at + 2] * sin * long;
      const bcU = w[at] * (cos * bx - sin * up);
      const bcV = w[at] * (sin * bx + cos * up);
      const caU = w[at + 1] * (sin * up - cos * along);
      const caV = -w[at + 1] * (sin * along + cos * up);
      wanted[a] += caU - abU;
      wanted[a + 1] += caV - abV;
      wanted[b] += abU - bcU;
      wanted[b + 1] += abV - bcV;
      wanted[c] += bcU - caU;
      wanted[c + 1] += bcV - caV;
    }
  }

  /** Stretch of each triangle into `out`, 0 where it lies the wrong way up. */
  stretches(out: Float32Array): void {
    const { uv, rest } = this;
    const { corners } = this.patch;
    for (let i = 0; i < out.length; i++) {
      const at = 3 * i;
      const [a, b, c] = [2 * corners[at], 2 * corners[at + 1], 2 * corners[at + 2]];
      const [long, along, up] = [rest[at], rest[at + 1], rest[at + 2]];
      const [x1, y1, x2, y2] = [uv[b] - uv[a], uv[b + 1] - uv[a + 1], uv[c] - uv[a], uv[c + 1] - uv[a + 1]];
      if (x1 * y2 - x2 * y1 <= 0) {
        out[i] = 0;
        continue;
      }
      if (!(long > 0 && up > 0)) {
        out[i] = 1;
        continue;
      }
      // The map's derivative, and its two stretches.
      const e = x1 / long;
      const g = y1 / long;
      const f = (x2 - e * along) / up;
      const h = (y2 - g * along) / up;
      const sum = Math.sqrt((e + h) ** 2 + (g - f) ** 2);
      const difference = Math.sqrt((e - h) ** 2 + (g + f) ** 2);
      out[i] = Math.max((sum + difference) / 2, 2 / Math.max(1e-9, sum - difference));
    }
  }

  flatness(): Flatness {
    const each = new Float32Array(this.area.length);
    this.stretches(each);
    return { stretch95: stretchBelow(each, this.area, 0.95), flipped: each.reduce((n, s) => n + (s === 0 ? 1 : 0), 0) };
  }

  /** Moves what lies the wrong way up, and what is round it, to the middle of its neighbours. @returns triangles left that way */
  unflip(passes: number): number {
    const each = new Float32Array(this.area.length);
    for (let pass = 0; ; pass++) {
      this.stretches(each);
      const wrong: number[] = [];
      for (let i = 0; i < each.length; i++) if (!(each[i] > 0)) wrong.push(i);
      if (wrong.length === 0 || pass === passes) return wrong.length;
      this.gatherIn(wrong, 1);
    }
  }

  /** Draws in what lies over others in a few places, such as single triangles at the rim. */
  partOverlaps(passes: number): void {
    const { corners } = this.patch;
    for (let pass = 0; pass < passes; pass++) {
      const pairs = overlappingPairs(this.uv, corners);
      if (pairs.length === 0 || pairs.length > FEW_OVERLAPS) return;
      this.gatherIn(pairs, 0.4);
      this.unflip(passes);
    }
  }

  /** Moves the corners of some triangles a share of the way to the middle of their neighbours. */
  private gatherIn(triangles: ArrayLike<number>, share: number): void {
    const { uv } = this;
    const { corners, vertices } = this.patch;
    const marked = new Uint8Array(vertices.length);
    for (let i = 0; i < triangles.length; i++) for (let k = 0; k < 3; k++) marked[corners[3 * triangles[i] + k]] = 1;
    const sum = new Float64Array(2 * vertices.length);
    const count = new Uint16Array(vertices.length);
    for (let at = 0; at < corners.length; at++) {
      const v = corners[at];
      if (!marked[v]) continue;
      const first = at - (at % 3);
      for (let k = 0; k < 3; k++) {
        const u = corners[first + k];
        if (u === v) continue;
        sum[2 * v] += uv[2 * u];
        sum[2 * v + 1] += uv[2 * u + 1];
        count[v]++;
      }
    }
    for (let v = 0; v < vertices.length; v++) {
      if (!marked[v]) continue;
      for (let a = 0; a < 2; a++) uv[2 * v + a] += share * (sum[2 * v + a] / count[v] - uv[2 * v + a]);
    }
  }
}

/** The stretch that a share of the area stays below; what lies the wrong way up (0) counts as endlessly stretched. */
export function stretchBelow(stretches: Float32Array, area: ArrayLike<number>, share: number): number {
  const order = Float64Array.from(stretches, (s) => (s > 0 ? s : Infinity));
  const sorted = Array.from(order.keys()).sort((a, b) => order[a] - order[b]);
  let total = 0;
  for (let i = 0; i < area.length; i++) total += area[i];
  let sum = 0;
  for (const i of sorted) {
    sum += area[i];
    if (sum >= share * total) return order[i];
  }
  return 1;
}
