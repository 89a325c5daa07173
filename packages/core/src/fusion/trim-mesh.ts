import type { TriangleMesh } from '../geometry/triangle-mesh.js';
import { filterTriangles, vertexCount, vertexNormals } from '../geometry/triangle-mesh.js';
import type { RunContext } from '../runtime/run-context.js';
import { DisjointSets } from '../spatial/disjoint-sets.js';
import type { MeasuredPoints } from './measured-points.js';

/** A vertex is carried by points within so many spacings, at least so many. */
const REACH = 2;
const CARRYING = 2;
/** Triangles on two rims stand out like teeth: so many rounds of them go. */
const ROUNDS = 3;
/** Loose pieces smaller than a square of so many spacings are crumbs. */
const CRUMB = 12;

/**
 * Takes from a mesh what no measured point carries: skins beyond the rims of what was seen, teeth at these rims, crumbs.
 * Vertices take the colours of the points that carry them. O(vertices · points near by).
 */
export function trimMesh(mesh: TriangleMesh, points: MeasuredPoints, ctx: RunContext): TriangleMesh {
  const { carried, colors } = carriedVertices(mesh, points, ctx);
  const { indices, expectedError } = mesh;
  const keep = new Uint8Array(indices.length / 3);
  for (let t = 0; t < keep.length; t++) {
    let whole = 1;
    for (let k = 0; k < 3; k++) {
      const v = indices[3 * t + k];
      if (!carried[v] || (expectedError && !(expectedError[v] >= 0))) whole = 0;
    }
    keep[t] = whole;
  }
  for (let round = 0; round < ROUNDS; round++) if (!dropTeeth(indices, keep)) break;
  dropCrumbs(mesh, keep, (CRUMB * points.spacing) ** 2);
  return filterTriangles(colors ? { ...mesh, colors } : mesh, keep);
}

function carriedVertices(
  mesh: TriangleMesh,
  points: MeasuredPoints,
  ctx: RunContext,
): { carried: Uint8Array; colors?: Uint8Array } {
  const { positions: p } = mesh;
  const n = vertexCount(mesh);
  const normals = vertexNormals(mesh);
  const { grid, towardsSensor: q } = points;
  const reach = REACH * points.spacing;
  const ids = new Uint32Array(512);
  const squared = new Float32Array(512);
  const carried = new Uint8Array(n);
  const colors = points.colors && new Uint8Array(3 * n).fill(128);
  for (let i = 0; i < n; i++) {
    if ((i & 4095) === 0) ctx.checkpoint(i / n);
    const o = 3 * i;
    const found = grid.within(p[o], p[o + 1], p[o + 2], reach, ids, squared);
    let facing = 0;
    let sum = 0;
    let r = 0;
    let g = 0;
    let b = 0;
    for (let k = 0; k < found; k++) {
      const j = 3 * ids[k];
      const c = normals[o] * q[j] + normals[o + 1] * q[j + 1] + normals[o + 2] * q[j + 2];
      if (c <= 0.05) continue;
      facing++;
      if (!colors) continue;
      // The squarely seen and near ones colour it; a fine point takes a sharp kernel.
      const near = 1 - squared[k] / (reach * reach);
      const w = c * c * c * c * near * near * near * near;
      sum += w;
      r += w * points.colors![j];
      g += w * points.colors![j + 1];
      b += w * points.colors![j + 2];
    }
    carried[i] = facing >= CARRYING ? 1 : 0;
    if (colors && sum > 0) {
      colors[o] = r / sum + 0.5;
      colors[o + 1] = g / sum + 0.5;
      colors[o + 2] = b / sum + 0.5;
    }
  }
  return { carried, colors };
}

/** Drops triangles with two or three edges on a rim. @returns whether there were any */
function dropTeeth(indices: Uint32Array, keep: Uint8Array): boolean {
  const uses = new Map<number, number>();
  const highest = indices.reduce((m, v) => (v > m ? v : m), 0) + 1;
  const key = (a: number, b: number): number => (a < b ? a * highest + b : b * highest + a);
  const open = rimVertices(indices, keep, highest);
  // Only edges between vertices of rims can lie on one.
  const eachEdge = (visit: (t: number, edge: number) => void): void => {
    for (let t = 0; t < keep.length; t++) {
      if (!keep[t]) continue;
      for (let k = 0; k < 3; k++) {
        const a = indices[3 * t + k];
        const b = indices[3 * t + ((k + 1) % 3)];
        if (open[a] && open[b]) visit(t, key(a, b));
      }
    }
  };
  eachEdge((_, edge) => uses.set(edge, (uses.get(edge) ?? 0) + 1));
  const rims = new Uint8Array(keep.length);
  eachEdge((t, edge) => {
    if (uses.get(edge) === 1) rims[t]++;
  });
  let some = false;
  for (let t = 0; t < keep.length; t++) {
    if (rims[t] < 2) continue;
    keep[t] = 0;
    some = true;
  }
  return some;
}

/** Vertices whose triangles do not go all the way round: those that leave and those that arrive differ. */
function rimVertices(indices: Uint32Array, keep: Uint8Array, vertices: number): Uint8Array {
  // Around an inner vertex each neighbour is once the next and once the last one.
  const balance = new Float64Array(vertices);
  for (let t = 0; t < keep.length; t++) {
    if (!keep[t]) continue;
    for (let k = 0; k < 3; k++) {
      const v = indices[3 * t + k];
      balance[v] += indices[3 * t + ((k + 1) % 3)] - indices[3 * t + ((k + 2) % 3)];
    }
  }
  return Uint8Array.from(balance, (b) => (b === 0 ? 0 : 1));
}

function dropCrumbs({ positions: p, indices }: TriangleMesh, keep: Uint8Array, least: number): void {
  const sets = new DisjointSets(p.length / 3);
  for (let t = 0; t < keep.length; t++) {
    if (!keep[t]) continue;
    sets.union(indices[3 * t], indices[3 * t + 1]);
    sets.union(indices[3 * t], indices[3 * t + 2]);
  }
  const areas = new Float64Array(p.length / 3);
  let largest = 0;
  for (let t = 0; t < keep.length; t++) {
    if (!keep[t]) continue;
    const [a, b, c] = [3 * indices[3 * t], 3 * indices[3 * t + 1], 3 * indices[3 * t + 2]];
    const ux = p[b] - p[a];
    const uy = p[b + 1] - p[a + 1];
    const uz = p[b + 2] - p[a + 2];
    const vx = p[c] - p[a];
    const vy = p[c + 1] - p[a + 1];
    const vz = p[c + 2] - p[a + 2];
    const root = sets.find(indices[3 * t]);
    areas[root] += Math.hypot(uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx) / 2;
    largest = Math.max(largest, areas[root]);
  }
  // Of an object that is small itself nothing large would remain.
  const bound = Math.min(least, 0.1 * largest);
  for (let t = 0; t < keep.length; t++) if (keep[t] && areas[sets.find(indices[3 * t])] < bound) keep[t] = 0;
}
