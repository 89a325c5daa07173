import { triangleCount, type TriangleMesh } from '../geometry/triangle-mesh.js';
import { cross3, normalize3, type Vec3 } from '../math/mat4.js';
import { listHoles } from '../mending/holes.js';
import { PatchedMesh, type HolePatch } from '../mending/patched-mesh.js';
import { findCrossings } from '../mesh/crossings.js';
import { BOUNDARY, nextHalfEdge, oppositeHalfEdges } from '../mesh/topology.js';
import { cannot, type BridgeEdit } from './hand-edit.js';

/** Where an end of a bridge would cross what stands beside it, it moves along the rim by so many edges. */
const SHIFTS = [0, 1, -1, 2, -2, 3, -3];
/** So many of the rim's edges to both sides say which way the surface goes. */
const LOOKED_AT = 3;
/** How strongly a bridge keeps the direction of the surface at its ends; where it would cross something, less. */
const SWINGS = [1, 0.5, 0];
const MOST_ROWS = 400;

/** A stretch of a rim: its vertices in the order of the triangles beside it. */
interface Abutment {
  vertices: number[];
  /** Unit directions in which the surface would go on, 3 each. */
  ahead: Vec3[];
}

/**
 * Joins two rims, or two places of one rim, by a strip of surface that leaves each end the way the surface goes there
 * (a cubic after C. Hermite along each line of its vertices). What was one hole becomes two, an island gets a hold.
 * O(n + m).
 * @throws GeometryError `invalid-parameter` if there is no rim, both ends are at the same place, or every strip would cross
 * the surface
 */
export function bridgeRims(mesh: TriangleMesh, { from, to, width }: BridgeEdit): TriangleMesh {
  const loops = listHoles(mesh).map((h) => h.rim);
  if (loops.length === 0) throw cannot('The surface has no rim to begin a bridge at.');
  const outwards = rimDirections(mesh);
  const [a, b] = [nearestEdge(mesh, loops, from), nearestEdge(mesh, loops, to)];
  const edge = (edgeLength(mesh, loops[a.loop], a.at) + edgeLength(mesh, loops[b.loop], b.at)) / 2;
  const least = Math.min(loops[a.loop].length, loops[b.loop].length);
  const edges = Math.max(1, Math.min(Math.round(width / edge), Math.floor(least / 4)));
  const ends = (e: typeof a): Abutment[] =>
    SHIFTS.map((shift) => abutment(loops[e.loop], e.at + shift, edges, outwards));
  const pairs = ends(a).flatMap((start, i) =>
    ends(b).map((end, j) => ({ start, end, off: Math.abs(SHIFTS[i]) + Math.abs(SHIFTS[j]) })),
  );
  const apart = pairs.filter(({ start, end }) => !start.vertices.some((v) => end.vertices.includes(v)));
  const steps = Math.abs(a.at - b.at);
  const between = a.loop === b.loop ? Math.min(steps, loops[a.loop].length - steps) : Infinity;
  if (apart.length === 0 || between <= edges + 1)
    throw cannot(
      'Both ends of the bridge are at the same place of the rim. Draw it to another rim, or across the hole.',
    );
  const near = trianglesBetween(mesh, a.place, b.place);
  for (const { start, end } of apart.sort((x, y) => x.off - y.off))
    for (const swing of SWINGS) {
      const patch = strip(mesh, start, end, edge, swing);
      if (crosses(near, patch)) continue;
      const patched = new PatchedMesh(mesh);
      patched.add(patch);
      return patched.finish();
    }
  throw cannot('A bridge between these places would cross the surface. Choose places that see each other.');
}

/** The triangles, over all vertices, that a bridge between two places may meet: those nearer than it is long. */
function trianglesBetween(mesh: TriangleMesh, from: Vec3, to: Vec3): TriangleMesh {
  const { positions: p, indices } = mesh;
  const long = Math.hypot(...from.map((c, k) => c - to[k]));
  const box = from.map((c, k) => [Math.min(c, to[k]) - long, Math.max(c, to[k]) + long]);
  const inside = (v: number): boolean => box.every(([low, high], k) => p[3 * v + k] >= low && p[3 * v + k] <= high);
  const kept: number[] = [];
  for (let t = 0; t < indices.length; t += 3) {
    const corners = indices.subarray(t, t + 3);
    if (corners.some(inside)) kept.push(...corners);
  }
  return { positions: p, indices: Uint32Array.from(kept) };
}

function crosses(near: TriangleMesh, patch: HolePatch): boolean {
  const patched = new PatchedMesh(near);
  patched.add(patch);
  return findCrossings(patched.finish(), triangleCount(near)).length > 0;
}

function strip(mesh: TriangleMesh, start: Abutment, end: Abutment, edge: number, swing: number): HolePatch {
  const p = mesh.positions;
  const columns = start.vertices.length;
  const last = columns - 1;
  // The surfaces on both sides run against each other, so the columns do too.
  const far = end.vertices.slice().reverse();
  const place = (v: number): Vec3 => [p[3 * v], p[3 * v + 1], p[3 * v + 2]];
  const lengths = start.vertices.map((v, j) => Math.hypot(...place(v).map((c, k) => c - place(far[j])[k])));
  const rows = Math.min(MOST_ROWS, Math.max(2, Math.round(Math.max(...lengths) / edge)));
  const positions = [...start.vertices, ...end.vertices].flatMap((v) => Array.from(place(v)));
  for (let i = 1; i < rows; i++) {
    const s = i / rows;
    const [h0, h1] = [1 + s * s * (2 * s - 3), s * s * (3 - 2 * s)];
    const [t0, t1] = [s * (s - 1) ** 2, s * s * (s - 1)];
    for (let j = 0; j < columns; j++) {
      const [q, r] = [place(start.vertices[j]), place(far[j])];
      const [u, w] = [start.ahead[j], end.ahead[last - j]];
      const l = swing * lengths[j];
      for (let k = 0; k < 3; k++) positions.push(h0 * q[k] + h1 * r[k] + l * (t0 * u[k] - t1 * w[k]));
    }
  }
  const at = (i: number, j: number): number => {
    if (i === 0) return j;
    return i === rows ? columns + last - j : 2 * columns + (i - 1) * columns + j;
  };
  const triangles: number[] = [];
  for (let i = 0; i < rows; i++)
    for (let j = 0; j < last; j++)
      triangles.push(at(i, j + 1), at(i, j), at(i + 1, j), at(i, j + 1), at(i + 1, j), at(i + 1, j + 1));
  return { rim: Uint32Array.from([...start.vertices, ...end.vertices]), positions, triangles };
}

function abutment(rim: Uint32Array, at: number, edges: number, outwards: Map<number, Vec3>): Abutment {
  const n = rim.length;
  const first = at - Math.floor((edges - 1) / 2) + n;
  const vertices = Array.from({ length: edges + 1 }, (_, j) => rim[(first + j) % n]);
  const ahead = vertices.map((_, j): Vec3 => {
    const sum: Vec3 = [0, 0, 0];
    // A ragged rim goes this way and that; its mean goes the surface's.
    for (let step = -LOOKED_AT; step < LOOKED_AT; step++) {
      const u = outwards.get(rim[(first + j + step + n) % n])!;
      for (let k = 0; k < 3; k++) sum[k] += u[k];
    }
    return normalize3(sum);
  });
  return { vertices, ahead };
}

/** For each vertex on a rim, the direction off the surface at the rim's edge that begins there: along it, across the edge. */
function rimDirections({ positions: p, indices }: TriangleMesh): Map<number, Vec3> {
  const opposite = oppositeHalfEdges(indices, p.length / 3);
  const out = new Map<number, Vec3>();
  const minus = (a: number, b: number): Vec3 => [
    p[3 * a] - p[3 * b],
    p[3 * a + 1] - p[3 * b + 1],
    p[3 * a + 2] - p[3 * b + 2],
  ];
  for (let h = 0; h < indices.length; h++) {
    if (opposite[h] !== BOUNDARY) continue;
    const [a, b, c] = [indices[h], indices[nextHalfEdge(h)], indices[nextHalfEdge(nextHalfEdge(h))]];
    const along = minus(b, a);
    out.set(a, normalize3(cross3(along, cross3(along, minus(c, a)))));
  }
  return out;
}

/** The rim's edge nearest to a place: by its middle. */
export function nearestEdge(
  { positions: p }: TriangleMesh,
  loops: readonly Uint32Array[],
  place: readonly number[],
): { loop: number; at: number; place: Vec3 } {
  let best = { loop: 0, at: 0, place: [0, 0, 0] as Vec3 };
  let nearest = Infinity;
  loops.forEach((rim, loop) => {
    for (let at = 0; at < rim.length; at++) {
      const [a, b] = [3 * rim[at], 3 * rim[(at + 1) % rim.length]];
      const middle = [0, 1, 2].map((k) => (p[a + k] + p[b + k]) / 2) as Vec3;
      const distance = Math.hypot(...middle.map((c, k) => c - place[k]));
      if (distance >= nearest) continue;
      nearest = distance;
      best = { loop, at, place: middle };
    }
  });
  return best;
}

/** Mean length of the edges of a rim about one of them, mm. */
function edgeLength({ positions: p }: TriangleMesh, rim: Uint32Array, at: number): number {
  const n = rim.length;
  const about = [-1, 0, 1].map((step) => {
    const [a, b] = [3 * rim[(at + step + n) % n], 3 * rim[(at + step + 1 + n) % n]];
    return Math.hypot(p[a] - p[b], p[a + 1] - p[b + 1], p[a + 2] - p[b + 2]);
  });
  return about.reduce((s, l) => s + l, 0) / 3 || 1;
}
