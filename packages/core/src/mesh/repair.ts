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

/**
 * Triangles with two equal corners go, and all but one of those that stand on the same corners; of a fin, two that run
 * opposite ways and hang on a surface, both go.
 */
function dropDegenerate(mesh: TriangleMesh): TriangleMesh {
  const { indices } = mesh;
  const count = indices.length / 3;
  const keep = new Uint8Array(count).fill(1);
  const n = vertexCount(mesh);
  const corners = (t: number): [number, number, number] => {
    const [a, b, c] = [indices[3 * t], indices[3 * t + 1], indices[3 * t + 2]];
    const low = Math.min(a, b, c);
    const high = Math.max(a, b, c);
    return [low, a + b + c - low - high, high];
  };
  // Twins share their lowest corner, and there are few triangles to a vertex: laid into rows by that corner.
  const end = new Uint32Array(n + 1);
  for (let t = 0; t < count; t++) end[corners(t)[0] + 1]++;
  for (let v = 0; v < n; v++) end[v + 1] += end[v];
  const cursor = end.slice(0, n);
  const rows = new Uint32Array(count);
  for (let t = 0; t < count; t++) rows[cursor[corners(t)[0]]++] = t;
  const fins: number[] = [];
  let dropped = 0;
  for (let v = 0; v < n; v++) {
    for (let i = end[v]; i < end[v + 1]; i++) {
      const [low, middle, high] = corners(rows[i]);
      let gone = low === middle || middle === high;
      for (let j = end[v]; j < i && !gone; j++) {
        const [, m, h] = corners(rows[j]);
        gone = m === middle && h === high;
        if (gone && keep[rows[j]] && !sameWay(indices, rows[i], rows[j])) fins.push(rows[j]);
      }
      if (!gone) continue;
      keep[rows[i]] = 0;
      dropped++;
    }
  }
  if (dropped === 0) return compactMesh(mesh);
  dropFins(indices, n, keep, fins);
  return filterTriangles(mesh, keep);
}

/** Whether two triangles on the same corners run the same way round. */
function sameWay(indices: Uint32Array, t: number, u: number): boolean {
  const k = [0, 1, 2].find((i) => indices[3 * u + i] === indices[3 * t])!;
  return indices[3 * u + ((k + 1) % 3)] === indices[3 * t + 1];
}

/** Of the triangles whose opposite twin is gone, those go too that hang together with others; sheets that stand alone stay. */
function dropFins(indices: Uint32Array, vertices: number, keep: Uint8Array, fins: readonly number[]): void {
  if (fins.length === 0) return;
  const isFin = new Uint8Array(keep.length);
  for (const t of fins) isFin[t] = 1;
  const edge = (h: number): number => {
    const a = indices[h];
    const b = indices[nextHalfEdge(h)];
    return Math.min(a, b) * vertices + Math.max(a, b);
  };
  const finsAt = new Map<number, number[]>();
  for (const t of fins) {
    for (let h = 3 * t; h < 3 * t + 3; h++) {
      const list = finsAt.get(edge(h));
      if (list) list.push(t);
      else finsAt.set(edge(h), [t]);
    }
  }
  const going: number[] = [];
  const drop = (t: number): void => {
    if (!keep[t]) return;
    keep[t] = 0;
    going.push(t);
  };
  // A fin hangs where the surface goes on without it.
  const others = new Map<number, number>();
  for (let t = 0; t < keep.length; t++) {
    if (!keep[t] || isFin[t]) continue;
    for (let h = 3 * t; h < 3 * t + 3; h++) {
      const e = edge(h);
      if (finsAt.has(e)) others.set(e, (others.get(e) ?? 0) + 1);
    }
  }
  others.forEach((count, e) => {
    if (count > 1) finsAt.get(e)!.forEach(drop);
  });
  for (let t = going.pop(); t !== undefined; t = going.pop()) {
    for (let h = 3 * t; h < 3 * t + 3; h++) finsAt.get(edge(h))?.forEach(drop);
  }
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

/**
 * Drops connected pieces with less than `minRatio` (0–1) of the largest piece's triangles; 1 keeps only the largest.
 * @param spared vertices whose pieces stay
 */
export function removeFragments(
  mesh: TriangleMesh,
  minRatio: number,
  spared: ReadonlySet<number> = new Set(),
): RemoveFragmentsResult {
  const { label, sizes } = labelPieces(mesh);
  let largest = 0;
  sizes.forEach((s, i) => {
    if (s > sizes[largest]) largest = i;
  });
  const stays = sizes.map((s, i) => i === largest || (minRatio < 1 && s >= minRatio * sizes[largest]));
  if (spared.size > 0)
    for (let h = 0; h < mesh.indices.length; h++)
      if (spared.has(mesh.indices[h])) stays[label[Math.floor(h / 3)]] = true;
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
    sum += Math.sqrt((p[a] - p[b]) ** 2 + (p[a + 1] - p[b + 1]) ** 2 + (p[a + 2] - p[b + 2]) ** 2);
  }
  return indices.length ? sum / indices.length : 0;
}
