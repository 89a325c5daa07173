import { solveCholeskyInPlace } from '../math/solve.js';
import { findCrossings } from '../mesh/crossings.js';
import { GrowingArray } from '../runtime/growing-array.js';
import type { SettledMesh } from './settle-vertices.js';

/** The surface turns by more than 30 degrees within one cell: an edge runs through it. */
const SHARP = Math.cos((30 * Math.PI) / 180);
const HALF_SHARP = Math.cos((15 * Math.PI) / 180);
/** A corner: some normal leaves the plane of the two that differ most by more than 30 degrees. */
const CORNER = Math.sin((30 * Math.PI) / 180);
/** The vertex on the edge lies no farther from the middle of its cell's vertices than so many voxels. */
const FARTHEST = 1;
/** Added to the diagonal of the equations, as a share of the number of normals: along an edge nothing else holds the vertex. */
const HOLD = 1e-3;
/** Rounds in which cells whose fans cross something go back to plain triangles. */
const ROUNDS = 4;
/** More vertices than a mesh can have, so that two of them make one exact number. */
const MOST_TIPS = 2 ** 26;

/**
 * Marching cubes cut edges off from cell to cell. Where the normals of a cell's vertices differ, this puts a vertex where their
 * tangent planes meet, fans the cell's triangles about it, and turns the edges between two such vertices so that the ridge is joined.
 * Cells whose fans would cross something keep their triangles.
 *
 * Source: L. Kobbelt, M. Botsch, U. Schwanecke, H.-P. Seidel (2001), Feature sensitive surface extraction from volume data.
 * O(triangles).
 * @param cellStarts number of the first triangle of each cell
 */
export function insertEdges(mesh: SettledMesh, cellStarts: Uint32Array, voxel: number): SettledMesh {
  const plain = new Set<number>();
  for (let round = 0; ; round++) {
    const { made, firstFan, cellOfTip } = fanAll(mesh, cellStarts, voxel, plain);
    const crossings = round < ROUNDS ? findCrossings(made, firstFan) : [];
    const n = mesh.patch.length;
    let found = false;
    for (const t of crossings)
      for (let k = 0; k < 3; k++) {
        const v = made.indices[3 * t + k];
        if (v < n) continue;
        plain.add(cellOfTip[v - n]);
        found = true;
      }
    if (!found) return made;
  }
}

/** One round: the cells in `plain` keep their triangles. Triangles of fans come after all others. */
function fanAll(
  mesh: SettledMesh,
  cellStarts: Uint32Array,
  voxel: number,
  plain: ReadonlySet<number>,
): { made: SettledMesh; firstFan: number; cellOfTip: number[] } {
  const { indices } = mesh;
  const n = mesh.patch.length;
  const kept = new GrowingArray(Uint32Array);
  const fans = new GrowingArray(Uint32Array);
  const added = new GrowingArray(Float32Array);
  const nearest: number[] = [];
  const cellOfTip: number[] = [];
  /** The fan triangle at an edge of its cell, by that edge, until its neighbour comes. */
  const rims = new Map<number, { at: number; tip: number }>();
  /** Tips that are joined: twice would tear the surface. */
  const ridges = new Set<number>();
  const triangles = indices.length / 3;
  const place = new Float64Array(3);
  for (let c = 0; c < cellStarts.length; c++) {
    const end = c + 1 < cellStarts.length ? cellStarts[c + 1] : triangles;
    if (plain.has(c) || !turnsSharply(mesh, cellStarts[c], end)) {
      for (let k = 3 * cellStarts[c]; k < 3 * end; k++) kept.push(indices[k]);
      continue;
    }
    for (const loop of loopsOf(indices, cellStarts[c], end)) {
      if (!loop.closed || !edgeVertex(mesh, loop.vertices, voxel, place)) {
        for (const t of loop.triangles) kept.push(indices[3 * t], indices[3 * t + 1], indices[3 * t + 2]);
        continue;
      }
      const id = n + nearest.length;
      added.push(place[0], place[1], place[2]);
      nearest.push(loop.vertices[0]);
      cellOfTip.push(c);
      const { vertices } = loop;
      for (let k = 0; k < vertices.length; k++) {
        const a = vertices[k];
        const b = vertices[(k + 1) % vertices.length];
        const key = Math.min(a, b) * MOST_TIPS + Math.max(a, b);
        const other = rims.get(key);
        const ridge = other ? other.tip * MOST_TIPS + id : 0;
        if (other && !ridges.has(ridge)) {
          ridges.add(ridge);
          // The other fan has the triangle (b, a, its tip): the two are turned about.
          rims.delete(key);
          fans.set(other.at, b, id, other.tip);
          fans.push(a, other.tip, id);
          continue;
        }
        rims.set(key, { at: fans.length, tip: id });
        fans.push(a, b, id);
      }
    }
  }
  const grown = <A extends Float32Array | Int32Array>(values: A, size: number): A => {
    const out = new (values.constructor as new (length: number) => A)(size * (n + nearest.length));
    out.set(values);
    nearest.forEach((v, k) => out.set(values.subarray(size * v, size * (v + 1)), size * (n + k)));
    return out;
  };
  const positions = grown(mesh.positions, 3);
  positions.set(added.toArray(), 3 * n);
  const all = new Uint32Array(kept.length + fans.length);
  all.set(kept.toArray());
  all.set(fans.toArray(), kept.length);
  const made = {
    positions,
    indices: all,
    normals: grown(mesh.normals, 3),
    sigma: grown(mesh.sigma, 1),
    patch: grown(mesh.patch, 1),
  };
  return { made, firstFan: kept.length / 3, cellOfTip };
}

/** Do the normals of a cell's vertices differ enough for an edge? */
function turnsSharply({ indices, normals: n }: SettledMesh, first: number, end: number): boolean {
  const a = 3 * indices[3 * first];
  for (let k = 3 * first + 1; k < 3 * end; k++) {
    const b = 3 * indices[k];
    // Two that differ by the whole angle differ from a third by half of it at least.
    if (n[a] * n[b] + n[a + 1] * n[b + 1] + n[a + 2] * n[b + 2] < HALF_SHARP) return true;
  }
  return false;
}

interface Loop {
  triangles: number[];
  /** The rim of these triangles, in their sense of turning. */
  vertices: number[];
  closed: boolean;
}

/** The connected parts of one cell's triangles, with their rims. */
function loopsOf(indices: Uint32Array, first: number, end: number): Loop[] {
  const left = new Set<number>();
  for (let t = first; t < end; t++) left.add(t);
  const out: Loop[] = [];
  for (const seed of left) {
    left.delete(seed);
    const part = [seed];
    for (const t of part)
      for (const u of left)
        if (shareEdge(indices, t, u)) {
          left.delete(u);
          part.push(u);
        }
    const next = new Map<number, number>();
    for (const t of part)
      for (let k = 0; k < 3; k++) {
        const [a, b] = [indices[3 * t + k], indices[3 * t + ((k + 1) % 3)]];
        if (next.get(b) === a) next.delete(b);
        else next.set(a, b);
      }
    const start = indices[3 * seed];
    const vertices: number[] = [];
    let v: number | undefined = start;
    while (v !== undefined && vertices.length < next.size) {
      vertices.push(v);
      v = next.get(v);
    }
    out.push({ triangles: part, vertices, closed: v === start && vertices.length >= 3 });
  }
  return out;
}

function shareEdge(indices: Uint32Array, t: number, u: number): boolean {
  let shared = 0;
  for (let i = 0; i < 3; i++) for (let j = 0; j < 3; j++) if (indices[3 * t + i] === indices[3 * u + j]) shared++;
  return shared >= 2;
}

/** Where the tangent planes of some vertices meet. @returns false if they are parts of one face, or meet too far off */
function edgeVertex(mesh: SettledMesh, vertices: number[], voxel: number, out: Float64Array): boolean {
  const { positions: p, normals: n, patch } = mesh;
  let least = 1;
  let [s, t] = [0, 0];
  for (const a of vertices) {
    if (patch[a] < 0) return false;
    for (const b of vertices) {
      const c = n[3 * a] * n[3 * b] + n[3 * a + 1] * n[3 * b + 1] + n[3 * a + 2] * n[3 * b + 2];
      if (c < least) {
        least = c;
        s = a;
        t = b;
      }
    }
  }
  if (least > SHARP) return false;
  const m = vertices.length;
  const middle = [0, 1, 2].map((k) => vertices.reduce((sum, v) => sum + p[3 * v + k], 0) / m);
  // Along the edge nothing but the middle holds the vertex: there its equation is left out unless a third face makes a corner.
  const along = [
    n[3 * s + 1] * n[3 * t + 2] - n[3 * s + 2] * n[3 * t + 1],
    n[3 * s + 2] * n[3 * t] - n[3 * s] * n[3 * t + 2],
    n[3 * s] * n[3 * t + 1] - n[3 * s + 1] * n[3 * t],
  ];
  const l = Math.hypot(along[0], along[1], along[2]);
  if (!(l > 1e-6)) return false;
  const leaves = vertices.map(
    (v) => Math.abs(n[3 * v] * along[0] + n[3 * v + 1] * along[1] + n[3 * v + 2] * along[2]) / l,
  );
  const corner = Math.max(...leaves) > CORNER;
  const a = new Float64Array(9);
  const b = new Float64Array(3);
  for (const v of vertices) {
    const [x, y, z] = [n[3 * v], n[3 * v + 1], n[3 * v + 2]];
    const h = x * (p[3 * v] - middle[0]) + y * (p[3 * v + 1] - middle[1]) + z * (p[3 * v + 2] - middle[2]);
    a[0] += x * x;
    a[3] += x * y;
    a[4] += y * y;
    a[6] += x * z;
    a[7] += y * z;
    a[8] += z * z;
    b[0] += h * x;
    b[1] += h * y;
    b[2] += h * z;
  }
  if (!corner) {
    const [x, y, z] = along.map((v) => v / l);
    a[0] += m * x * x;
    a[3] += m * x * y;
    a[4] += m * y * y;
    a[6] += m * x * z;
    a[7] += m * y * z;
    a[8] += m * z * z;
  }
  for (const k of [0, 4, 8]) a[k] += HOLD * m;
  if (!solveCholeskyInPlace(a, b, 3)) return false;
  if (Math.hypot(b[0], b[1], b[2]) > FARTHEST * voxel) return false;
  for (let k = 0; k < 3; k++) out[k] = middle[k] + b[k];
  return true;
}
