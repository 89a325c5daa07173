import { orient2d, orient3d } from 'robust-predicates';
import { triangleCount, type TriangleMesh } from '../geometry/triangle-mesh.js';
import { TriangleBvh } from '../spatial/triangle-bvh.js';

/**
 * Pairs of triangles that meet where they should not: they share no corner and touch or cut each other, share one and meet
 * elsewhere too, or share two and lie on each other. Exact for the coordinates as stored: every decision is a sign of an
 * orientation (J. Shewchuk, 1997, Adaptive precision floating-point arithmetic and fast robust geometric predicates, by
 * `robust-predicates`); triangles of no area are passed over. O((m + pairs) log m).
 * @param first only pairs with a triangle from this one on are looked for
 * @returns two triangles a pair, the lower first, in their order
 */
export function findCrossings(mesh: TriangleMesh, first = 0): Uint32Array {
  const { positions: p, indices } = mesh;
  const m = triangleCount(mesh);
  const tester = new TrianglePair(mesh);
  const found: [number, number][] = [];
  const test = (t: number, u: number): void => {
    const [low, high] = t < u ? [t, u] : [u, t];
    if (!tester.flat(low) && tester.cross(low, high)) found.push([low, high]);
  };
  if (first === 0) new TriangleBvh(mesh).overlapping(test);
  else {
    const bvh = new TriangleBvh({ positions: p, indices: indices.subarray(3 * first) });
    const box = new Float32Array(6);
    for (let t = 0; t < m; t++) {
      tester.boxOf(t, box);
      bvh.meeting(box, (k) => {
        if (k + first > t && tester.near(box, k + first)) test(t, k + first);
      });
    }
  }
  found.sort(([a, b], [c, d]) => a - c || b - d);
  return Uint32Array.from(found.flat());
}

/** Share of a determinant's terms that rounding may be wrong by: (7 + 56 ε) ε, Shewchuk's bound of the first stage. */
const SURE = (7 + 56 * 2 ** -53) * 2 ** -53;

/** Exact tests of pairs of a mesh's triangles. */
class TrianglePair {
  private readonly p: Float32Array;
  private readonly indices: Uint32Array;

  constructor(mesh: TriangleMesh) {
    this.p = mesh.positions;
    this.indices = mesh.indices;
  }

  /** Least x, y, z of a triangle, then greatest. */
  boxOf(t: number, out: Float32Array): void {
    const { p } = this;
    const a = 3 * this.indices[3 * t];
    const b = 3 * this.indices[3 * t + 1];
    const c = 3 * this.indices[3 * t + 2];
    for (let k = 0; k < 3; k++) {
      const [x, y, z] = [p[a + k], p[b + k], p[c + k]];
      out[k] = x < y ? (x < z ? x : z) : y < z ? y : z;
      out[3 + k] = x > y ? (x > z ? x : z) : y > z ? y : z;
    }
  }

  /** Whether a triangle reaches into a box. */
  near(box: Float32Array, t: number): boolean {
    const { p } = this;
    const a = 3 * this.indices[3 * t];
    const b = 3 * this.indices[3 * t + 1];
    const c = 3 * this.indices[3 * t + 2];
    for (let k = 0; k < 3; k++) {
      const [x, y, z] = [p[a + k], p[b + k], p[c + k]];
      if ((x < box[k] && y < box[k] && z < box[k]) || (x > box[3 + k] && y > box[3 + k] && z > box[3 + k]))
        return false;
    }
    return true;
  }

  /** Whether a triangle has no area, exactly. */
  flat(t: number): boolean {
    const i = this.indices;
    const [a, b, c] = [i[3 * t], i[3 * t + 1], i[3 * t + 2]];
    return this.turn(a, b, c, 2) === 0 && this.turn(a, b, c, 1) === 0 && this.turn(a, b, c, 0) === 0;
  }

  cross(t: number, u: number): boolean {
    const i = this.indices;
    const a = i[3 * t];
    const b = i[3 * t + 1];
    const c = i[3 * t + 2];
    const d = i[3 * u];
    const e = i[3 * u + 1];
    const f = i[3 * u + 2];
    const sd = d === a || d === b || d === c;
    const se = e === a || e === b || e === c;
    const sf = f === a || f === b || f === c;
    // Most pairs are told apart by one plane.
    let od = sd ? 0 : this.quickSide(a, b, c, d);
    let oe = se ? 0 : this.quickSide(a, b, c, e);
    let of = sf ? 0 : this.quickSide(a, b, c, f);
    if (od !== od || oe !== oe || of !== of) {
      // Of those in one plane, which would cost most to decide, nearly all by a line in it.
      if (this.apartInPlane(a, b, c, d, e, f) || this.apartInPlane(d, e, f, a, b, c)) return false;
      if (od !== od) od = this.side(a, b, c, d);
      if (oe !== oe) oe = this.side(a, b, c, e);
      if (of !== of) of = this.side(a, b, c, f);
    }
    const shared = (sd ? 1 : 0) + (se ? 1 : 0) + (sf ? 1 : 0);
    if (shared === 0) {
      if ((od > 0 && oe > 0 && of > 0) || (od < 0 && oe < 0 && of < 0)) return false;
      const oa = this.side(d, e, f, a);
      const ob = this.side(d, e, f, b);
      const oc = this.side(d, e, f, c);
      if ((oa > 0 && ob > 0 && oc > 0) || (oa < 0 && ob < 0 && oc < 0) || this.flat(u)) return false;
      return (
        this.hits(d, e, a, b, c) ||
        this.hits(e, f, a, b, c) ||
        this.hits(f, d, a, b, c) ||
        this.hits(a, b, d, e, f) ||
        this.hits(b, c, d, e, f) ||
        this.hits(c, a, d, e, f)
      );
    }
    if (shared === 1) {
      const [g, h, sides] = sd ? [e, f, oe * of] : se ? [f, d, of * od] : [d, e, od * oe];
      if (sides > 0) return false;
      const v = sd ? d : se ? e : f;
      const [k, l] = v === a ? [b, c] : v === b ? [c, a] : [a, b];
      if (this.side(d, e, f, k) * this.side(d, e, f, l) > 0 || this.flat(u)) return false;
      return this.hits(g, h, a, b, c) || this.hits(k, l, d, e, f);
    }
    if (shared === 3) return true;
    if (od !== 0 || oe !== 0 || of !== 0 || this.flat(u)) return false;
    const [apex, v, w] = !sd ? [d, e, f] : !se ? [e, f, d] : [f, d, e];
    const own = a !== v && a !== w ? a : b !== v && b !== w ? b : c;
    const axis = this.axisOf(a, b, c);
    return this.turn(v, w, own, axis) * this.turn(v, w, apex, axis) > 0;
  }

  /**
   * Whether the line of an edge of a, b, c, seen along one axis, has all of d, e, f strictly on its other side but for the
   * edge's own ends: then the two meet in these at most.
   */
  private apartInPlane(a: number, b: number, c: number, d: number, e: number, f: number): boolean {
    const axis = this.steepest(a, b, c);
    return (
      this.beyond(a, b, c, d, e, f, axis) || this.beyond(b, c, a, d, e, f, axis) || this.beyond(c, a, b, d, e, f, axis)
    );
  }

  private beyond(p: number, q: number, inner: number, d: number, e: number, f: number, axis: number): boolean {
    const own = this.turn(p, q, inner, axis);
    return (
      own !== 0 &&
      (d === p || d === q || this.turn(p, q, d, axis) === -own) &&
      (e === p || e === q || this.turn(p, q, e, axis) === -own) &&
      (f === p || f === q || this.turn(p, q, f, axis) === -own)
    );
  }

  /** The axis along which a triangle shows most of its area, near enough. */
  private steepest(a: number, b: number, c: number): number {
    const { p } = this;
    let axis = 0;
    let most = -1;
    for (let k = 0; k < 3; k++) {
      const u = (k + 1) % 3;
      const v = (k + 2) % 3;
      const area = Math.abs(
        (p[3 * b + u] - p[3 * a + u]) * (p[3 * c + v] - p[3 * a + v]) -
          (p[3 * b + v] - p[3 * a + v]) * (p[3 * c + u] - p[3 * a + u]),
      );
      if (area > most) {
        most = area;
        axis = k;
      }
    }
    return axis;
  }

  /** `side` where plain arithmetic is sure of it, else NaN. */
  private quickSide(a: number, b: number, c: number, d: number): number {
    const { p } = this;
    const dx = p[3 * d];
    const dy = p[3 * d + 1];
    const dz = p[3 * d + 2];
    const ax = p[3 * a] - dx;
    const ay = p[3 * a + 1] - dy;
    const az = p[3 * a + 2] - dz;
    const bx = p[3 * b] - dx;
    const by = p[3 * b + 1] - dy;
    const bz = p[3 * b + 2] - dz;
    const cx = p[3 * c] - dx;
    const cy = p[3 * c + 1] - dy;
    const cz = p[3 * c + 2] - dz;
    const bxcy = bx * cy;
    const cxby = cx * by;
    const cxay = cx * ay;
    const axcy = ax * cy;
    const axby = ax * by;
    const bxay = bx * ay;
    const det = az * (bxcy - cxby) + bz * (cxay - axcy) + cz * (axby - bxay);
    const permanent =
      (Math.abs(bxcy) + Math.abs(cxby)) * Math.abs(az) +
      (Math.abs(cxay) + Math.abs(axcy)) * Math.abs(bz) +
      (Math.abs(axby) + Math.abs(bxay)) * Math.abs(cz);
    return det > SURE * permanent ? 1 : det < -SURE * permanent ? -1 : NaN;
  }

  /** Sign of where d lies beside the plane of a, b, c. */
  private side(a: number, b: number, c: number, d: number): number {
    const p = this.p;
    return Math.sign(
      orient3d(
        p[3 * a],
        p[3 * a + 1],
        p[3 * a + 2],
        p[3 * b],
        p[3 * b + 1],
        p[3 * b + 2],
        p[3 * c],
        p[3 * c + 1],
        p[3 * c + 2],
        p[3 * d],
        p[3 * d + 1],
        p[3 * d + 2],
      ),
    );
  }

  /** Sign of the turn at b seen along an axis. */
  private turn(a: number, b: number, c: number, axis: number): number {
    const p = this.p;
    const u = (axis + 1) % 3;
    const v = (axis + 2) % 3;
    return Math.sign(orient2d(p[3 * a + u], p[3 * a + v], p[3 * b + u], p[3 * b + v], p[3 * c + u], p[3 * c + v]));
  }

  /** An axis along which a triangle is seen with some area. */
  private axisOf(a: number, b: number, c: number): number {
    return this.turn(a, b, c, 2) !== 0 ? 2 : this.turn(a, b, c, 1) !== 0 ? 1 : 0;
  }

  /** Whether the closed edge from p to q meets the closed triangle a, b, c. */
  private hits(p: number, q: number, a: number, b: number, c: number): boolean {
    const from = this.side(a, b, c, p);
    const to = this.side(a, b, c, q);
    if (from * to > 0) return false;
    if (from === 0 && to === 0) return this.hitsInPlane(p, q, a, b, c);
    const x = this.side(p, q, a, b);
    const y = this.side(p, q, b, c);
    const z = this.side(p, q, c, a);
    return (x >= 0 && y >= 0 && z >= 0) || (x <= 0 && y <= 0 && z <= 0);
  }

  private hitsInPlane(p: number, q: number, a: number, b: number, c: number): boolean {
    const axis = this.axisOf(a, b, c);
    const inside = (v: number): boolean => {
      const [x, y, z] = [this.turn(a, b, v, axis), this.turn(b, c, v, axis), this.turn(c, a, v, axis)];
      return (x >= 0 && y >= 0 && z >= 0) || (x <= 0 && y <= 0 && z <= 0);
    };
    const meets = (v: number, w: number): boolean =>
      this.turn(p, q, v, axis) * this.turn(p, q, w, axis) <= 0 &&
      this.turn(v, w, p, axis) * this.turn(v, w, q, axis) <= 0;
    // An edge that runs along a line of the triangle without touching it turns nowhere: its ends tell.
    const apart = (v: number, w: number): boolean =>
      [p, q].every((o) => this.turn(v, w, o, axis) === 0) && !this.overlap(p, q, v, w);
    if (inside(p) || inside(q)) return true;
    return [
      [a, b],
      [b, c],
      [c, a],
    ].some(([v, w]) => meets(v, w) && !apart(v, w));
  }

  /** Whether two edges on one line have boxes that meet. */
  private overlap(p: number, q: number, v: number, w: number): boolean {
    const x = this.p;
    return [0, 1, 2].every(
      (k) =>
        Math.max(Math.min(x[3 * p + k], x[3 * q + k]), Math.min(x[3 * v + k], x[3 * w + k])) <=
        Math.min(Math.max(x[3 * p + k], x[3 * q + k]), Math.max(x[3 * v + k], x[3 * w + k])),
    );
  }
}
