import { vertexCount, type TriangleMesh } from '../geometry/triangle-mesh.js';
import { IndexedHeap } from '../math/indexed-heap.js';
import { nextHalfEdge, oppositeHalfEdges } from '../mesh/topology.js';
import { GeometryError } from '../runtime/geometry-error.js';

/** The shortest way along a surface between two places. */
export interface SurfacePath {
  length: number;
  /** Places along it, 3k, straight between them. */
  points: Float64Array;
}

/** A way is shortened at most so many times: each time around one vertex. */
const MOST_TURNS = 4000;
/**
 * Places on an edge that the search passes. With its middle alone, ways against the slant of narrow triangles seem so long
 * that the search goes round the other side of the object.
 */
const PLACES = 3;
/** Triangles around one vertex, at most. */
const MOST_AROUND = 1000;

/** An edge that a way crosses, with the vertices to its left and right. */
interface Gate {
  /** The half-edge on the side where the way comes from. */
  half: number;
  left: number;
  right: number;
}

type Point2 = [number, number];

/**
 * Shortest ways along a surface. A search over places on edges finds the triangles that a way passes; unfolded into
 * the plane they make a strip in which a taut string is the shortest way. Where the string bends round a vertex, and the way
 * past its other side is shorter, the strip is laid there, until nothing is gained.
 *
 * Sources: P. Hart, N. Nilsson, B. Raphael (1968), A formal basis for the heuristic determination of minimum cost paths;
 * D. Lee, F. Preparata (1984), Euclidean shortest paths in the presence of rectilinear barriers (the funnel);
 * S. Xin, G. Wang (2007), Efficiently determining a locally exact shortest path on polyhedral surfaces. The way is the
 * shortest among its neighbours; a shorter one round the other side of the object can be missed only where both are about as long.
 */
export class SurfacePaths {
  private readonly opposite: Int32Array;

  /** O(triangles). Vertices must be shared. */
  constructor(private readonly mesh: TriangleMesh) {
    this.opposite = oppositeHalfEdges(mesh.indices, vertexCount(mesh));
  }

  /**
   * The shortest way between two vertices.
   * @throws GeometryError `degenerate` where the surface does not connect them
   */
  between(from: number, to: number): SurfacePath {
    const n = vertexCount(this.mesh);
    for (const v of [from, to])
      if (!(v >= 0 && v < n)) throw new GeometryError('invalid-parameter', `The surface has no vertex ${v}.`);
    if (from === to) return { length: 0, points: Float64Array.from(this.placeOf(from)) };
    let gates = this.search(from, to);
    let taut = this.pull(from, to, gates);
    for (let turn = 0; turn < MOST_TURNS; turn++) {
      const next = this.shorter(from, to, gates, taut);
      if (!next) break;
      ({ gates, taut } = next);
    }
    return { length: taut.length, points: this.pointsOf(from, to, gates, taut) };
  }

  private placeOf(v: number): [number, number, number] {
    const { positions: p } = this.mesh;
    return [p[3 * v], p[3 * v + 1], p[3 * v + 2]];
  }

  private gap(a: number, b: number): number {
    const { positions: p } = this.mesh;
    return Math.hypot(p[3 * a] - p[3 * b], p[3 * a + 1] - p[3 * b + 1], p[3 * a + 2] - p[3 * b + 2]);
  }

  /** The edges crossed on the way, from a search over places on edges; none if the two share an edge. */
  private search(from: number, to: number): Gate[] {
    const { indices, positions: p } = this.mesh;
    // A node is a place on a half-edge, and stands for leaving the triangle there.
    const heap = new IndexedHeap(PLACES * indices.length);
    const cost = new Float64Array(PLACES * indices.length).fill(Infinity);
    const came = new Int32Array(PLACES * indices.length).fill(-1);
    const [tx, ty, tz] = this.placeOf(to);
    const at = new Float64Array(3);
    const place = (node: number): void => {
      const h = Math.floor(node / PLACES);
      const share = ((node % PLACES) + 0.5) / PLACES;
      const [a, b] = [3 * indices[h], 3 * indices[nextHalfEdge(h)]];
      for (let k = 0; k < 3; k++) at[k] = p[a + k] + share * (p[b + k] - p[a + k]);
    };
    const reach = (h: number, x: number, y: number, z: number, sofar: number, parent: number): void => {
      if (this.opposite[h] < 0) return;
      for (let node = PLACES * h; node < PLACES * (h + 1); node++) {
        place(node);
        const by = sofar + Math.hypot(at[0] - x, at[1] - y, at[2] - z);
        if (by >= cost[node]) continue;
        cost[node] = by;
        came[node] = parent;
        heap.set(node, by + Math.hypot(at[0] - tx, at[1] - ty, at[2] - tz));
      }
    };
    const [fx, fy, fz] = this.placeOf(from);
    for (let h = 0; h < indices.length; h++) {
      if (indices[h] !== from) continue;
      const across = nextHalfEdge(h);
      if (indices[across] === to || indices[nextHalfEdge(across)] === to) return [];
      reach(across, fx, fy, fz, 0, -1);
    }
    for (let node = heap.pop(); node >= 0; node = heap.pop()) {
      const inside = this.opposite[Math.floor(node / PLACES)];
      const [a, b] = [nextHalfEdge(inside), nextHalfEdge(nextHalfEdge(inside))];
      if (indices[b] === to) return this.gatesTo(node, came);
      place(node);
      const [x, y, z] = at;
      reach(a, x, y, z, cost[node], node);
      reach(b, x, y, z, cost[node], node);
    }
    throw new GeometryError('degenerate', 'The surface does not connect these two places. Pick both on one piece.');
  }

  private gatesTo(last: number, came: Int32Array): Gate[] {
    const out: Gate[] = [];
    for (let node = last; node >= 0; node = came[node]) out.push(this.gate(Math.floor(node / PLACES)));
    return out.reverse();
  }

  /** Going out of a triangle (counter-clockwise) across its half-edge, that half-edge runs from right to left. */
  private gate(half: number): Gate {
    const { indices } = this.mesh;
    return { half, right: indices[half], left: indices[nextHalfEdge(half)] };
  }

  /** Unfolds the strip and pulls the string taut in it. */
  private pull(from: number, to: number, gates: Gate[]): Taut {
    if (gates.length === 0)
      return {
        length: this.gap(from, to),
        bends: [],
        left: [],
        right: [],
        ends: [
          [0, 0],
          [0, 0],
        ],
      };
    const left: Point2[] = [];
    const right: Point2[] = [];
    const first = gates[0];
    const width = this.gap(first.left, first.right);
    right.push([0, 0]);
    left.push([width, 0]);
    const start = apex(right[0], left[0], this.gap(first.right, from), this.gap(first.left, from), 1);
    for (let i = 1; i < gates.length; i++) {
      const [now, before] = [gates[i], gates[i - 1]];
      const fresh = now.left === before.left ? now.right : now.left;
      const place = apex(right[i - 1], left[i - 1], this.gap(before.right, fresh), this.gap(before.left, fresh), -1);
      left.push(now.left === before.left ? left[i - 1] : place);
      right.push(now.left === before.left ? place : right[i - 1]);
    }
    const last = gates.length - 1;
    const end = apex(right[last], left[last], this.gap(gates[last].right, to), this.gap(gates[last].left, to), -1);
    return funnel(start, end, left, right);
  }

  /** Lays the strip round the other side of the first bend where that is shorter. */
  private shorter(from: number, to: number, gates: Gate[], taut: Taut): { gates: Gate[]; taut: Taut } | undefined {
    for (const bend of taut.bends) {
      const next = this.roundOther(from, to, gates, bend);
      if (!next) continue;
      const pulled = this.pull(from, to, next);
      if (pulled.length < taut.length * (1 - 1e-12)) return { gates: next, taut: pulled };
    }
    return undefined;
  }

  private roundOther(from: number, to: number, gates: Gate[], bend: Bend): Gate[] | undefined {
    const { indices } = this.mesh;
    const vertex = bend.onLeft ? gates[bend.gate].left : gates[bend.gate].right;
    const holds = ({ left, right }: Gate): boolean => left === vertex || right === vertex;
    let first = bend.gate;
    let last = bend.gate;
    while (first > 0 && holds(gates[first - 1])) first--;
    while (last < gates.length - 1 && holds(gates[last + 1])) last++;
    const end = Math.floor(this.opposite[gates[last].half] / 3);
    // Out of the first triangle by its other edge at the vertex, and on around it.
    const around: Gate[] = [];
    let half = gates[first].half;
    for (let k = 0; k < MOST_AROUND; k++) {
      const t = Math.floor(half / 3);
      if (t === end) break;
      const corner = [3 * t, 3 * t + 1, 3 * t + 2].find((h) => indices[h] === vertex)!;
      const out = bend.onLeft ? corner : nextHalfEdge(nextHalfEdge(corner));
      around.push(this.gate(out));
      half = this.opposite[out];
      if (half < 0) return undefined;
    }
    const made = [...gates.slice(0, first), ...around, ...gates.slice(last + 1)];
    // A strip begins where it leaves the triangles at its start, and ends where it first comes to one at its end.
    const at = (v: number) => (g: Gate) => g.left === v || g.right === v;
    const begin = made.findLastIndex(at(from)) + 1;
    const stop = made.findIndex((g, i) => i >= begin && at(to)(g));
    return made.slice(begin, stop < 0 ? undefined : stop);
  }

  /** Where the string crosses the gates, in space. */
  private pointsOf(from: number, to: number, gates: Gate[], taut: Taut): Float64Array {
    const out = [...this.placeOf(from)];
    const corners: { gate: number; at: Point2 }[] = [
      ...taut.bends.map(({ gate, onLeft }) => ({ gate, at: (onLeft ? taut.left : taut.right)[gate] })),
      { gate: gates.length, at: taut.ends[1] },
    ];
    let from2 = taut.ends[0];
    let next = 0;
    for (let i = 0; i < gates.length; i++) {
      while (corners[next].gate < i) from2 = corners[next++].at;
      const s = crossingShare(from2, corners[next].at, taut.right[i], taut.left[i]);
      const [r, l] = [this.placeOf(gates[i].right), this.placeOf(gates[i].left)];
      for (let k = 0; k < 3; k++) out.push(r[k] + s * (l[k] - r[k]));
    }
    out.push(...this.placeOf(to));
    return Float64Array.from(out);
  }
}

interface Bend {
  gate: number;
  onLeft: boolean;
}

interface Taut {
  length: number;
  bends: Bend[];
  left: Point2[];
  right: Point2[];
  ends: [Point2, Point2];
}

const minus = (a: Point2, b: Point2): Point2 => [a[0] - b[0], a[1] - b[1]];
const turn = (a: Point2, b: Point2): number => a[0] * b[1] - a[1] * b[0];

/** The third corner of a triangle from its sides, to the left (+1) or right (−1) of the way from a to b. */
function apex(a: Point2, b: Point2, toA: number, toB: number, side: 1 | -1): Point2 {
  const d = minus(b, a);
  const base = Math.hypot(...d) || 1e-30;
  const along = (toA * toA - toB * toB + base * base) / (2 * base);
  const off = side * Math.sqrt(Math.max(0, toA * toA - along * along));
  return [a[0] + (along * d[0] - off * d[1]) / base, a[1] + (along * d[1] + off * d[0]) / base];
}

/** The taut string through gates, which it passes in order. */
function funnel(start: Point2, end: Point2, left: Point2[], right: Point2[]): Taut {
  const n = left.length;
  const bends: Bend[] = [];
  let at = start;
  let [l, r] = [left[0], right[0]];
  let [leftGate, rightGate] = [0, 0];
  for (let i = 1; i <= n; i++) {
    const [nl, nr] = i === n ? [end, end] : [left[i], right[i]];
    const bendAt = (gate: number, onLeft: boolean): void => {
      // The last gate with that corner.
      bends.push({ gate, onLeft });
      at = onLeft ? left[gate] : right[gate];
      // Begin anew beyond the gates that meet in it.
      let k = gate + 1;
      while (k < n && same((onLeft ? left : right)[k], at)) k++;
      leftGate = rightGate = Math.min(k, n);
      [l, r] = k >= n ? [end, end] : [left[k], right[k]];
      i = Math.min(k, n);
    };
    // Left of the funnel's right side, or on it: it narrows.
    if (turn(minus(r, at), minus(nr, at)) >= 0) {
      if (same(at, r) || turn(minus(l, at), minus(nr, at)) <= 0) {
        r = nr;
        rightGate = i;
      } else {
        bendAt(leftGate, true);
        continue;
      }
    }
    if (turn(minus(l, at), minus(nl, at)) <= 0) {
      if (same(at, l) || turn(minus(r, at), minus(nl, at)) >= 0) {
        l = nl;
        leftGate = i;
      } else {
        bendAt(rightGate, false);
        continue;
      }
    }
  }
  let length = 0;
  let from = start;
  for (const { gate, onLeft } of bends) {
    const to = (onLeft ? left : right)[gate];
    length += Math.hypot(...minus(to, from));
    from = to;
  }
  length += Math.hypot(...minus(end, from));
  return { length, bends, left, right, ends: [start, end] };
}

const same = (a: Point2, b: Point2): boolean => a[0] === b[0] && a[1] === b[1];

/** Where along a gate, from its right to its left, a straight line crosses it. */
function crossingShare(from: Point2, to: Point2, right: Point2, left: Point2): number {
  const d = minus(to, from);
  const g = minus(left, right);
  const across = turn(g, d);
  if (across === 0) return 0.5;
  return Math.max(0, Math.min(1, turn(minus(from, right), d) / across));
}
