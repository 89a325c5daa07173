import { orient2d, orient3d } from 'robust-predicates';
import { triangleCount, vertexCount, type TriangleMesh } from '../geometry/triangle-mesh.js';
import { TriangleBvh } from '../spatial/triangle-bvh.js';
import { boundaryLoops, labelPieces, oppositeHalfEdges, rimVertices } from './topology.js';

/** A part of a surface whose triangles hang together. */
export interface SurfacePiece {
  triangles: number;
  /** Rims of it. */
  rims: number;
  /** Tunnels through it: the handle of a jug makes one. */
  tunnels: number;
  /** mm³, below 0 where the outside lies within; only of closed pieces. */
  volume: number;
  /** It lies within another closed piece, where nobody can see it. */
  inner: boolean;
}

/** What is wrong with a surface, or may be, though every edge joins two triangles. */
export interface SurfaceFaults {
  pieces: SurfacePiece[];
  /** Triangles so narrow that their normal says nothing. */
  slivers: Uint32Array;
  /** Vertices that stand out like needles. */
  spikes: Uint32Array;
}

/** 4 √3 area over the sum of squared sides; 1 for an even triangle. Common practice, no source. */
const SLIVER_SHAPE = 0.05;
/** Angles of the triangles around a vertex: 360° in the flat, less than this at a needle. The corner of a cube has 270°. */
const SPIKE_ANGLE = Math.PI;

/**
 * Finds slivers, spikes, and what each piece is: how many rims and tunnels it has (by Euler's number), what it encloses,
 * whether it lies within another (by what a ray goes through). The mesh must have manifold edges and vertices.
 * O(m log m).
 */
export function findSurfaceFaults(mesh: TriangleMesh): SurfaceFaults {
  return { pieces: describePieces(mesh), ...needlesAndSlivers(mesh) };
}

function needlesAndSlivers(mesh: TriangleMesh): Pick<SurfaceFaults, 'slivers' | 'spikes'> {
  const { positions: p, indices } = mesh;
  const n = vertexCount(mesh);
  const angles = new Float64Array(n);
  const slivers: number[] = [];
  const onRim = rimVertices(indices, n, oppositeHalfEdges(indices, n));
  const side = new Float64Array(3);
  for (let t = 0; t < triangleCount(mesh); t++) {
    for (let k = 0; k < 3; k++) {
      // Across from corner k.
      const a = 3 * indices[3 * t + ((k + 1) % 3)];
      const b = 3 * indices[3 * t + ((k + 2) % 3)];
      side[k] = (p[a] - p[b]) ** 2 + (p[a + 1] - p[b + 1]) ** 2 + (p[a + 2] - p[b + 2]) ** 2;
    }
    const sum = side[0] + side[1] + side[2];
    // Heron: sixteen times the squared area.
    const area16 = sum * sum - 2 * (side[0] * side[0] + side[1] * side[1] + side[2] * side[2]);
    if (!(Math.sqrt(3 * Math.max(0, area16)) > SLIVER_SHAPE * sum)) slivers.push(t);
    for (let k = 0; k < 3; k++) {
      const l = side[(k + 1) % 3];
      const m = side[(k + 2) % 3];
      const cosine = (l + m - side[k]) / (2 * Math.sqrt(l * m) + 1e-300);
      angles[indices[3 * t + k]] += Math.acos(Math.min(1, Math.max(-1, cosine)));
    }
  }
  const spikes: number[] = [];
  for (let v = 0; v < n; v++) if (!onRim[v] && angles[v] > 0 && angles[v] < SPIKE_ANGLE) spikes.push(v);
  return { slivers: Uint32Array.from(slivers), spikes: Uint32Array.from(spikes) };
}

function describePieces(mesh: TriangleMesh): SurfacePiece[] {
  const { positions: p, indices } = mesh;
  const { label, sizes } = labelPieces(mesh);
  const n = vertexCount(mesh);
  const opposite = oppositeHalfEdges(indices, n);
  const count = sizes.length;
  const vertices = new Float64Array(count);
  const halves = new Float64Array(count);
  const rims = new Float64Array(count);
  const volumes = new Float64Array(count);
  const pieceOf = new Int32Array(n).fill(-1);
  for (let t = 0; t < label.length; t++) {
    const piece = label[t];
    const [a, b, c] = [3 * indices[3 * t], 3 * indices[3 * t + 1], 3 * indices[3 * t + 2]];
    volumes[piece] +=
      (p[a] * (p[b + 1] * p[c + 2] - p[b + 2] * p[c + 1]) +
        p[a + 1] * (p[b + 2] * p[c] - p[b] * p[c + 2]) +
        p[a + 2] * (p[b] * p[c + 1] - p[b + 1] * p[c])) /
      6;
    for (let k = 0; k < 3; k++) {
      const v = indices[3 * t + k];
      halves[piece] += opposite[3 * t + k] < 0 ? 2 : 1;
      if (pieceOf[v] >= 0) continue;
      pieceOf[v] = piece;
      vertices[piece]++;
    }
  }
  for (const loop of boundaryLoops(mesh, opposite)) rims[pieceOf[loop[0]]]++;
  const inner = innerPieces(mesh, label, rims, pieceOf);
  return sizes.map((triangles, i) => ({
    triangles,
    rims: rims[i],
    // V − E + F = 2 − 2 tunnels − rims.
    tunnels: Math.round((2 - rims[i] - (vertices[i] - halves[i] / 2 + triangles)) / 2),
    volume: rims[i] === 0 ? volumes[i] : NaN,
    inner: inner[i] === 1,
  }));
}

function innerPieces(mesh: TriangleMesh, label: Int32Array, rims: Float64Array, pieceOf: Int32Array): Uint8Array {
  const out = new Uint8Array(rims.length);
  if (rims.length < 2) return out;
  const someVertex = new Int32Array(rims.length);
  pieceOf.forEach((piece, v) => {
    if (piece >= 0) someVertex[piece] = v;
  });
  const bvh = new TriangleBvh(mesh);
  const windings = new Map<number, number>();
  for (let i = 0; i < out.length; i++) {
    windings.clear();
    const v = someVertex[i];
    const [x, y, z] = mesh.positions.subarray(3 * v, 3 * v + 3);
    // What a ray along x meets, up to where the farthest piece ends.
    bvh.meeting(Float32Array.of(x, y, z, Infinity, y, z), (t) => {
      const j = label[t];
      if (j !== i && rims[j] === 0) windings.set(j, (windings.get(j) ?? 0) + crossingOf(mesh, t, v));
    });
    for (const winding of windings.values()) if (winding !== 0) out[i] = 1;
  }
  return out;
}

/**
 * 1 or -1 if the ray from a vertex along x goes through a triangle, by the way that faces; else 0. Exact, and edges seen from
 * both sides count once: what goes through a closed piece an even number of times adds up to 0.
 */
function crossingOf({ positions: p, indices }: TriangleMesh, t: number, v: number): number {
  const [a, b, c] = [3 * indices[3 * t], 3 * indices[3 * t + 1], 3 * indices[3 * t + 2]];
  const o = 3 * v;
  const round = aroundInPlane(p, a, b, o) + aroundInPlane(p, b, c, o) + aroundInPlane(p, c, a, o);
  if (round === 0) return 0;
  const side = orient3d(
    p[a],
    p[a + 1],
    p[a + 2],
    p[b],
    p[b + 1],
    p[b + 2],
    p[c],
    p[c + 1],
    p[c + 2],
    p[o],
    p[o + 1],
    p[o + 2],
  );
  // The triangle lies ahead where the vertex is on the side from which it turns the way that it does.
  return Math.sign(side) === -round ? round : 0;
}

/** How an edge, seen along x, passes a place on its one side: 1 upwards, -1 downwards, 0 not at all. */
function aroundInPlane(p: Float32Array, a: number, b: number, o: number): number {
  const up = p[a + 2] <= p[o + 2];
  if (up === p[b + 2] <= p[o + 2]) return 0;
  const [low, high] = up ? [a, b] : [b, a];
  const turn = orient2d(p[low + 1], p[low + 2], p[high + 1], p[high + 2], p[o + 1], p[o + 2]);
  return turn > 0 ? (up ? 1 : -1) : 0;
}
