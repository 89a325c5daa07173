import { vertexCount, type TriangleMesh } from '../geometry/triangle-mesh.js';

/** Half-edge 3t+k runs from corner k of triangle t to the next corner. */
export const BOUNDARY = -1;
/** The edge has more than two triangles, or two that run along it in the same direction. */
export const NON_MANIFOLD = -2;

export function nextHalfEdge(h: number): number {
  return h % 3 === 2 ? h - 2 : h + 1;
}

/**
 * For each half-edge the one that runs the other way along the same edge; `BOUNDARY` if there is none, `NON_MANIFOLD`
 * if it is not unique. O(n + m) by counting sort over the lower vertex.
 */
export function oppositeHalfEdges(indices: Uint32Array, vertices: number): Int32Array {
  const count = indices.length;
  const start = new Uint32Array(vertices + 1);
  const low = new Uint32Array(count);
  const high = new Uint32Array(count);
  for (let h = 0; h < count; h++) {
    const a = indices[h];
    const b = indices[nextHalfEdge(h)];
    low[h] = a < b ? a : b;
    high[h] = a < b ? b : a;
    start[low[h] + 1]++;
  }
  for (let v = 0; v < vertices; v++) start[v + 1] += start[v];
  const cursor = start.slice(0, vertices);
  const list = new Uint32Array(count);
  for (let h = 0; h < count; h++) list[cursor[low[h]]++] = h;
  const opposite = new Int32Array(count).fill(BOUNDARY);
  for (let v = 0; v < vertices; v++) {
    const row = list.subarray(start[v], start[v + 1]);
    if (row.length <= LONG_ROW) {
      pairUp(row, indices, high, opposite);
      continue;
    }
    row.sort((g, h) => high[g] - high[h] || g - h);
    for (let from = 0; from < row.length;) {
      let to = from + 1;
      while (to < row.length && high[row[to]] === high[row[from]]) to++;
      pairUp(row.subarray(from, to), indices, high, opposite);
      from = to;
    }
  }
  return opposite;
}

/** 1 for vertices of edges with a triangle on one side only. O(n + m). @param opposite see `oppositeHalfEdges` */
export function rimVertices(indices: Uint32Array, vertices: number, opposite: Int32Array): Uint8Array {
  const out = new Uint8Array(vertices);
  for (let h = 0; h < indices.length; h++)
    if (opposite[h] === BOUNDARY) out[indices[h]] = out[indices[nextHalfEdge(h)]] = 1;
  return out;
}

/** Half-edges at one vertex from which on sorting them costs less than comparing all with all. */
const LONG_ROW = 64;

/** Finds twins among half-edges with the same lower vertex. Quadratic in their number. */
function pairUp(row: Uint32Array, indices: Uint32Array, high: Uint32Array, opposite: Int32Array): void {
  for (let i = 0; i < row.length; i++) {
    const h = row[i];
    if (opposite[h] !== BOUNDARY) continue;
    let twin = -1;
    let others = 0;
    for (let j = 0; j < row.length; j++) {
      if (j !== i && high[row[j]] === high[h]) {
        others++;
        twin = row[j];
      }
    }
    if (others === 1 && indices[twin] !== indices[h]) {
      opposite[h] = twin;
      opposite[twin] = h;
    } else if (others > 0) {
      for (let j = 0; j < row.length; j++) if (high[row[j]] === high[h]) opposite[row[j]] = NON_MANIFOLD;
    }
  }
}

/**
 * The rims of a mesh, each as its vertices in the order of the triangles beside it (the hole lies on the right).
 * The mesh must have manifold vertices (see `makeManifold`). O(n + m).
 */
export function boundaryLoops(mesh: TriangleMesh, opposite?: Int32Array): Uint32Array[] {
  const { indices } = mesh;
  const twin = opposite ?? oppositeHalfEdges(indices, vertexCount(mesh));
  /** Half-edge on the rim that starts at a vertex, or none. */
  const outgoing = new Int32Array(vertexCount(mesh)).fill(-1);
  for (let h = 0; h < indices.length; h++) if (twin[h] === BOUNDARY) outgoing[indices[h]] = h;
  const loops: Uint32Array[] = [];
  // In the order of the triangles, so that the same mesh always gives the same list.
  for (let from = 0; from < indices.length; from++) {
    const first = indices[from];
    if (twin[from] !== BOUNDARY || outgoing[first] < 0) continue;
    const loop: number[] = [];
    let v = first;
    for (let h = outgoing[v]; h >= 0; h = outgoing[v]) {
      outgoing[v] = -1;
      loop.push(v);
      v = indices[nextHalfEdge(h)];
    }
    if (v === first) loops.push(Uint32Array.from(loop));
  }
  return loops;
}

/** What a mesh's connections say about it. */
export interface TopologyReport {
  vertices: number;
  triangles: number;
  pieces: number;
  boundaryEdges: number;
  holes: number;
  nonManifoldEdges: number;
  nonManifoldVertices: number;
  /** V − E + F; 2 for a closed surface without tunnels. */
  euler: number;
  watertight: boolean;
}

/** Counts pieces, rims and faults. O(n + m). */
export function inspectTopology(mesh: TriangleMesh): TopologyReport {
  const { indices } = mesh;
  const n = vertexCount(mesh);
  const opposite = oppositeHalfEdges(indices, n);
  let boundaryEdges = 0;
  let paired = 0;
  let bad = 0;
  for (let h = 0; h < indices.length; h++) {
    if (opposite[h] === BOUNDARY) boundaryEdges++;
    else if (opposite[h] === NON_MANIFOLD) bad++;
    else paired++;
  }
  const nonManifoldEdges = countNonManifoldEdges(indices, opposite, bad);
  const used = new Uint8Array(n);
  for (const v of indices) used[v] = 1;
  let vertices = 0;
  for (let v = 0; v < n; v++) vertices += used[v];
  const fans = countFans(indices, n, opposite);
  let nonManifoldVertices = 0;
  for (let v = 0; v < n; v++) if (fans[v] > 1) nonManifoldVertices++;
  const edges = paired / 2 + boundaryEdges + nonManifoldEdges;
  return {
    vertices,
    triangles: indices.length / 3,
    pieces: labelPieces(mesh).sizes.length,
    boundaryEdges,
    holes: bad === 0 && nonManifoldVertices === 0 ? boundaryLoops(mesh, opposite).length : NaN,
    nonManifoldEdges,
    nonManifoldVertices,
    euler: vertices - edges + indices.length / 3,
    watertight: indices.length > 0 && boundaryEdges === 0 && bad === 0 && nonManifoldVertices === 0,
  };
}

/** Edges that `halves` half-edges marked as not manifold lie on. O(halves log halves), no text made of them. */
function countNonManifoldEdges(indices: Uint32Array, opposite: Int32Array, halves: number): number {
  const list = new Uint32Array(halves);
  let at = 0;
  for (let h = 0; h < indices.length; h++) if (opposite[h] === NON_MANIFOLD) list[at++] = h;
  const low = (h: number): number => Math.min(indices[h], indices[nextHalfEdge(h)]);
  const high = (h: number): number => Math.max(indices[h], indices[nextHalfEdge(h)]);
  list.sort((g, h) => low(g) - low(h) || high(g) - high(h));
  let edges = 0;
  for (let i = 0; i < halves; i++)
    if (i === 0 || low(list[i]) !== low(list[i - 1]) || high(list[i]) !== high(list[i - 1])) edges++;
  return edges;
}

/** Number of separate fans of triangles around each vertex; more than one means a non-manifold vertex. */
export function countFans(indices: Uint32Array, vertices: number, opposite: Int32Array): Uint16Array {
  const fans = new Uint16Array(vertices);
  const done = new Uint8Array(indices.length);
  for (let h = 0; h < indices.length; h++) {
    if (done[h]) continue;
    fans[indices[h]]++;
    walkFan(h, opposite, (k) => (done[k] = 1));
  }
  return fans;
}

/** Visits the half-edges that leave the same vertex as `h` and hang together with it through shared edges. */
export function walkFan(h: number, opposite: Int32Array, visit: (half: number) => void): void {
  visit(h);
  // Turn one way: across the edge that comes in to the vertex.
  let k = h;
  for (;;) {
    const incoming = k % 3 === 0 ? k + 2 : k - 1;
    const next = opposite[incoming];
    if (next < 0) break;
    if (next === h) return;
    visit(next);
    k = next;
  }
  // A rim stopped it: turn the other way.
  k = h;
  for (;;) {
    const twin = opposite[k];
    if (twin < 0) return;
    const next = nextHalfEdge(twin);
    if (next === h) return;
    visit(next);
    k = next;
  }
}

/** Connected pieces over shared vertices: a label per triangle and the number of triangles of each. O(n + m). */
export function labelPieces(mesh: TriangleMesh): { label: Int32Array; sizes: number[] } {
  const { indices } = mesh;
  const parent = new Int32Array(vertexCount(mesh));
  for (let v = 0; v < parent.length; v++) parent[v] = v;
  const find = (v: number): number => {
    while (parent[v] !== v) {
      parent[v] = parent[parent[v]];
      v = parent[v];
    }
    return v;
  };
  for (let t = 0; t < indices.length; t += 3) {
    const a = find(indices[t]);
    for (let k = 1; k < 3; k++) {
      const b = find(indices[t + k]);
      if (b !== a) parent[b] = a;
    }
  }
  const number = new Int32Array(parent.length).fill(-1);
  const label = new Int32Array(indices.length / 3);
  const sizes: number[] = [];
  for (let t = 0; t < label.length; t++) {
    const root = find(indices[3 * t]);
    let id = number[root];
    if (id < 0) {
      id = sizes.length;
      number[root] = id;
      sizes.push(0);
    }
    label[t] = id;
    sizes[id]++;
  }
  return { label, sizes };
}
