import type { TriangleMesh } from '../geometry/triangle-mesh.js';
import { filterTriangles, vertexCount, vertexNormals } from '../geometry/triangle-mesh.js';
import type { RunContext } from '../runtime/run-context.js';
import { evenRims, removeFragments } from '../mesh/repair.js';
import { labelPieces } from '../mesh/topology.js';
import type { MeasuredPoints } from './measured-points.js';

/** A vertex is carried by points within so many grains, at least so many. */
const REACH = 2;
const CARRYING = 2;
/** Points that a vertex looks at most: sixty scans lie one on another. */
const MOST = 4096;
/** Rounds of teeth that go. */
const ROUNDS = 3;
/** Loose pieces smaller than a square of so many spacings are crumbs, but never more than this share of the largest. */
const CRUMB = 12;
const CRUMB_RATIO = 0.1;
/** Marching cubes make about so many triangles for each square voxel of surface. */
const TRIANGLES = 2.3;

/**
 * Takes from a mesh what no measured point carries: skins beyond the rims of what was seen, teeth at these rims, crumbs.
 * Vertices take the colours of the points that carry them. O(vertices · points near by).
 */
export function trimMesh(mesh: TriangleMesh, points: MeasuredPoints, voxel: number, ctx: RunContext): TriangleMesh {
  const { carried, colors } = carriedVertices(mesh, points, ctx);
  const { indices, expectedError } = mesh;
  bridgeLone(carried, indices);
  const keep = new Uint8Array(indices.length / 3);
  for (let t = 0; t < keep.length; t++) {
    let whole = 1;
    for (let k = 0; k < 3; k++) {
      const v = indices[3 * t + k];
      if (!carried[v] || (expectedError && !(expectedError[v] >= 0))) whole = 0;
    }
    keep[t] = whole;
  }
  const trimmed = evenRims(filterTriangles(colors ? { ...mesh, colors } : mesh, keep), ROUNDS);
  const largest = labelPieces(trimmed).sizes.reduce((m, n) => Math.max(m, n), 1);
  const crumb = TRIANGLES * ((CRUMB * points.spacing) / voxel) ** 2;
  return removeFragments(trimmed, Math.min(CRUMB_RATIO, crumb / largest)).mesh;
}

/** A vertex among carried ones is carried: on a sharp edge few points lie near it, and a rim does not run through one vertex. */
function bridgeLone(carried: Uint8Array, indices: Uint32Array): void {
  const lone = new Uint8Array(carried.length);
  for (let v = 0; v < lone.length; v++) lone[v] = carried[v] ? 0 : 1;
  for (let t = 0; t < indices.length; t += 3)
    for (let k = 0; k < 3; k++) {
      const [a, b] = [indices[t + k], indices[t + ((k + 1) % 3)]];
      if (!carried[a] && !carried[b]) lone[a] = lone[b] = 0;
    }
  for (let v = 0; v < lone.length; v++) if (lone[v]) carried[v] = 1;
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
  const reach = REACH * points.grain;
  const ids = new Uint32Array(MOST);
  const squared = new Float32Array(MOST);
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
