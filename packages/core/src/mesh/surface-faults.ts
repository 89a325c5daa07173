import { triangleCount, vertexCount, type TriangleMesh } from '../geometry/triangle-mesh.js';
import { BOUNDARY, boundaryLoops, labelPieces, oppositeHalfEdges } from './topology.js';

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
/** Pieces that are asked whether they lie in another: largest first. */
const MOST_INNER = 500;

/**
 * Finds slivers, spikes, and what each piece is: how many rims and tunnels it has (by Euler's number), what it encloses,
 * whether it lies within another (by the winding number). The mesh must have manifold edges and vertices.
 * O(m), and O(m) for each piece whose box lies within another's.
 * Source of the winding number: A. van Oosterom, J. Strackee (1983), The solid angle of a plane triangle.
 */
export function findSurfaceFaults(mesh: TriangleMesh): SurfaceFaults {
  return { pieces: describePieces(mesh), ...needlesAndSlivers(mesh) };
}

function needlesAndSlivers(mesh: TriangleMesh): Pick<SurfaceFaults, 'slivers' | 'spikes'> {
  const { positions: p, indices } = mesh;
  const n = vertexCount(mesh);
  const angles = new Float64Array(n);
  const onRim = new Uint8Array(n);
  const slivers: number[] = [];
  const opposite = oppositeHalfEdges(indices, n);
  const side = new Float64Array(3);
  for (let t = 0; t < triangleCount(mesh); t++) {
    for (let k = 0; k < 3; k++) {
      // Across from corner k.
      const a = 3 * indices[3 * t + ((k + 1) % 3)];
      const b = 3 * indices[3 * t + ((k + 2) % 3)];
      side[k] = (p[a] - p[b]) ** 2 + (p[a + 1] - p[b + 1]) ** 2 + (p[a + 2] - p[b + 2]) ** 2;
      if (opposite[3 * t + k] === BOUNDARY) onRim[indices[3 * t + k]] = onRim[indices[3 * t + ((k + 1) % 3)]] = 1;
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
  const boxes = new Float64Array(6 * count).map((_, i) => (i % 6 < 3 ? Infinity : -Infinity));
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
      for (let i = 0; i < 3; i++) {
        boxes[6 * piece + i] = Math.min(boxes[6 * piece + i], p[3 * v + i]);
        boxes[6 * piece + 3 + i] = Math.max(boxes[6 * piece + 3 + i], p[3 * v + i]);
      }
    }
  }
  for (const loop of boundaryLoops(mesh, opposite)) rims[pieceOf[loop[0]]]++;
  const inner = innerPieces(mesh, label, boxes, sizes, rims, pieceOf);
  return sizes.map((triangles, i) => ({
    triangles,
    rims: rims[i],
    // V − E + F = 2 − 2 tunnels − rims.
    tunnels: Math.round((2 - rims[i] - (vertices[i] - halves[i] / 2 + triangles)) / 2),
    volume: rims[i] === 0 ? volumes[i] : NaN,
    inner: inner[i] === 1,
  }));
}

function innerPieces(
  mesh: TriangleMesh,
  label: Int32Array,
  boxes: Float64Array,
  sizes: readonly number[],
  rims: Float64Array,
  pieceOf: Int32Array,
): Uint8Array {
  const out = new Uint8Array(sizes.length);
  const within = (i: number, j: number): boolean =>
    [0, 1, 2].every((k) => boxes[6 * i + k] > boxes[6 * j + k] && boxes[6 * i + 3 + k] < boxes[6 * j + 3 + k]);
  const asked = sizes.map((_, i) => i).sort((a, b) => sizes[b] - sizes[a]);
  for (const i of asked.slice(0, MOST_INNER)) {
    const around = new Set(asked.filter((j) => j !== i && rims[j] === 0 && within(i, j)));
    if (around.size === 0) continue;
    const v = pieceOf.indexOf(i);
    const windings = windingNumbers(mesh, label, around, v);
    if (windings.some((w) => Math.abs(w) > 0.5)) out[i] = 1;
  }
  return out;
}

/** How often closed pieces go round a vertex of another piece: 1 within, 0 without. */
function windingNumbers(
  { positions: p, indices }: TriangleMesh,
  label: Int32Array,
  pieces: Set<number>,
  v: number,
): number[] {
  const sums = new Map<number, number>();
  for (let t = 0; t < label.length; t++) {
    if (!pieces.has(label[t])) continue;
    const c = [0, 1, 2].map((k) => [0, 1, 2].map((i) => p[3 * indices[3 * t + k] + i] - p[3 * v + i]));
    const [a, b, d] = c;
    const [la, lb, ld] = c.map(([x, y, z]) => Math.hypot(x, y, z));
    const dot = (s: number[], r: number[]): number => s[0] * r[0] + s[1] * r[1] + s[2] * r[2];
    const det =
      a[0] * (b[1] * d[2] - b[2] * d[1]) + a[1] * (b[2] * d[0] - b[0] * d[2]) + a[2] * (b[0] * d[1] - b[1] * d[0]);
    const angle = 2 * Math.atan2(det, la * lb * ld + dot(a, b) * ld + dot(b, d) * la + dot(d, a) * lb);
    sums.set(label[t], (sums.get(label[t]) ?? 0) + angle / (4 * Math.PI));
  }
  return [...sums.values()];
}
