import {
  compactMesh,
  filterTriangles,
  gatherVertices,
  vertexCount,
  type TriangleMesh,
} from '../geometry/triangle-mesh.js';
import { BOUNDARY, labelPieces, nextHalfEdge, NON_MANIFOLD, oppositeHalfEdges, walkFan } from './topology.js';

export interface RepairResult {
  mesh: TriangleMesh;
  /** Triangles with two equal corners, or standing twice. */
  degenerate: number;
  /** Triangles removed because more than two met at an edge, or two ran along it in the same direction. */
  nonManifold: number;
  /** Vertices split because several surfaces touched there. */
  splitVertices: number;
}

/**
 * Makes every edge and vertex manifold by removing the triangles at faulty edges (small holes remain, to be filled)
 * and splitting vertices where separate fans touch. O(n + m) a round; at most 10 rounds.
 */
export function makeManifold(mesh: TriangleMesh): RepairResult {
  let current = dropDegenerate(mesh);
  const degenerate = (mesh.indices.length - current.indices.length) / 3;
  let nonManifold = 0;
  for (let round = 0; round < 10; round++) {
    const opposite = oppositeHalfEdges(current.indices, vertexCount(current));
    const keep = new Uint8Array(current.indices.length / 3).fill(1);
    let bad = 0;
    for (let h = 0; h < opposite.length; h++) {
      const t = Math.floor(h / 3);
      if (opposite[h] === NON_MANIFOLD && keep[t]) {
        keep[t] = 0;
        bad++;
      }
    }
    if (bad === 0) break;
    nonManifold += bad;
    current = filterTriangles(current, keep);
  }
  const split = splitFans(current);
  return { mesh: split.mesh, degenerate, nonManifold, splitVertices: split.count };
}

function dropDegenerate(mesh: TriangleMesh): TriangleMesh {
  const { indices } = mesh;
  const keep = new Uint8Array(indices.length / 3).fill(1);
  const seen = new Map<number, number[]>();
  let dropped = 0;
  for (let t = 0; t < keep.length; t++) {
    const a = indices[3 * t];
    const b = indices[3 * t + 1];
    const c = indices[3 * t + 2];
    if (a === b || b === c || c === a) {
      keep[t] = 0;
      dropped++;
      continue;
    }
    // Twins share their lowest corner; there are few triangles per vertex.
    const low = Math.min(a, b, c);
    const high = Math.max(a, b, c);
    const key = low * 4194304 + (high % 4194304);
    const twins = seen.get(key);
    const middle = a + b + c - low - high;
    if (twins?.includes(middle)) {
      keep[t] = 0;
      dropped++;
    } else if (twins) twins.push(middle);
    else seen.set(key, [middle]);
  }
  return dropped > 0 ? filterTriangles(mesh, keep) : compactMesh(mesh);
}

/** Gives each fan of triangles at a vertex its own copy of the vertex. */
function splitFans(mesh: TriangleMesh): { mesh: TriangleMesh; count: number } {
  const n = vertexCount(mesh);
  const indices = mesh.indices.slice();
  const opposite = oppositeHalfEdges(mesh.indices, n);
  const done = new Uint8Array(indices.length);
  const taken = new Uint8Array(n);
  const oldFromNew: number[] = Array.from({ length: n }, (_, i) => i);
  for (let h = 0; h < indices.length; h++) {
    if (done[h]) continue;
    const v = mesh.indices[h];
    let id = v;
    if (taken[v]) {
      id = oldFromNew.length;
      oldFromNew.push(v);
    }
    taken[v] = 1;
    walkFan(h, opposite, (k) => {
      done[k] = 1;
      indices[k] = id;
    });
  }
  const count = oldFromNew.length - n;
  return { mesh: count > 0 ? gatherVertices(mesh, oldFromNew, indices) : mesh, count };
}

export interface RemoveFragmentsResult {
  mesh: TriangleMesh;
  removedPieces: number;
  removedTriangles: number;
}

/** Drops connected pieces with less than `minRatio` (0–1) of the largest piece's triangles; 1 keeps only the largest. */
export function removeFragments(mesh: TriangleMesh, minRatio: number): RemoveFragmentsResult {
  const { label, sizes } = labelPieces(mesh);
  let largest = 0;
  sizes.forEach((s, i) => {
    if (s > sizes[largest]) largest = i;
  });
  const stays = sizes.map((s, i) => i === largest || (minRatio < 1 && s >= minRatio * sizes[largest]));
  const removedPieces = stays.filter((s) => !s).length;
  if (removedPieces === 0) return { mesh, removedPieces: 0, removedTriangles: 0 };
  const keep = Uint8Array.from(label, (l) => (stays[l] ? 1 : 0));
  const out = filterTriangles(mesh, keep);
  return { mesh: out, removedPieces, removedTriangles: (mesh.indices.length - out.indices.length) / 3 };
}

/**
 * Evens ragged rims: removes triangles that hang on by a single edge (two or three edges on the rim), again and again,
 * `rounds` times at most. O(m) a round.
 */
export function evenRims(mesh: TriangleMesh, rounds = 3): TriangleMesh {
  let current = mesh;
  for (let r = 0; r < rounds; r++) {
    const opposite = oppositeHalfEdges(current.indices, vertexCount(current));
    const keep = new Uint8Array(current.indices.length / 3).fill(1);
    let dropped = 0;
    for (let t = 0; t < keep.length; t++) {
      let rim = 0;
      for (let k = 0; k < 3; k++) if (opposite[3 * t + k] === BOUNDARY) rim++;
      if (rim >= 2) {
        keep[t] = 0;
        dropped++;
      }
    }
    if (dropped === 0) break;
    current = filterTriangles(current, keep);
  }
  return current;
}

/** Mean length of the mesh's edges, mm. O(m). */
export function meanEdgeLength(mesh: TriangleMesh): number {
  const { positions: p, indices } = mesh;
  let sum = 0;
  for (let h = 0; h < indices.length; h++) {
    const a = 3 * indices[h];
    const b = 3 * indices[nextHalfEdge(h)];
    sum += Math.hypot(p[a] - p[b], p[a + 1] - p[b + 1], p[a + 2] - p[b + 2]);
  }
  return indices.length ? sum / indices.length : 0;
}
