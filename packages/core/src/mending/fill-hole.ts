import type { TriangleMesh } from '../geometry/triangle-mesh.js';
import { continueSurface, type ContinueManner, type SurfacePiece } from './continue-surface.js';
import type { Hole } from './holes.js';
import { Patch } from './patch.js';
import type { HolePatch } from './patched-mesh.js';
import type { Surroundings, Zone } from './surroundings.js';
import { triangulateLoop } from './triangulate-loop.js';

/** How a hole is filled: `flat` like a skin, `smooth` as the surroundings go on. */
export type FillShape = 'flat' | 'smooth';

/** Ways to go on; the one that best foretells the surroundings themselves is taken. */
const MANNERS: readonly ContinueManner[] = [
  { order: 2, smoothing: 0, rounds: 2 },
  { order: 3, smoothing: 0, rounds: 2 },
  { order: 2, smoothing: 4, rounds: 2 },
  { order: 3, smoothing: 4, rounds: 2 },
  { order: 2, smoothing: 10, rounds: 2 },
  { order: 3, smoothing: 10, rounds: 2 },
];
const LEAST_RINGS = 6;
const MOST_ZONE = 4000;
/** Vertices of one patch at most, rim left out. */
const MOST_PATCH = 60_000;
/** So much of a hole's diameter is foretold to choose among ways to go on. */
const FORETOLD = 0.2;

/**
 * Fills one hole with a patch as dense as its surroundings. @param joined whether two vertices of the mesh have an edge
 * already @returns the patch, undefined if the rim can't be spanned
 */
export function fillHole(
  mesh: TriangleMesh,
  around: Surroundings,
  hole: Hole,
  joined: (a: number, b: number) => boolean,
  shape: FillShape,
): HolePatch | undefined {
  // Along the hole the patch runs against the triangles outside.
  const rim = Uint32Array.from(hole.rim).reverse();
  const n = rim.length;
  const points = new Float64Array(3 * n);
  for (let i = 0; i < n; i++) for (let k = 0; k < 3; k++) points[3 * i + k] = mesh.positions[3 * rim[i] + k];
  const forbidden = (i: number, j: number): boolean => i < n && j < n && joined(rim[i], rim[j]);
  const triangles = triangulateLoop(points, forbidden) ?? triangulateLoop(points, () => false);
  if (!triangles) return undefined;
  const patch = new Patch(points, triangles, wantedEdges(points), forbidden);
  patch.refine(n + MOST_PATCH);
  const skin = { rim, positions: patch.positions, triangles: patch.triangles };
  if (shape === 'flat' || patch.positions.length === 3 * n) return skin;
  const diameter = hole.length / Math.PI;
  const zone = around.zone(rim, 0.6 * diameter, LEAST_RINGS, MOST_ZONE);
  const piece = pieceOf(mesh, skin, zone);
  const first = continueSurface(piece, MANNERS[0]);
  if (!first) return skin;
  const start = { ...piece, positions: first };
  const manner = bestManner(start, piece, skin, zone, diameter);
  const found = manner === MANNERS[0] ? first : continueSurface(start, manner);
  if (!found) return skin;
  const positions = Float64Array.from(skin.positions);
  positions.set(found.subarray(3 * n, positions.length), 3 * n);
  return { ...skin, positions };
}

function wantedEdges(points: Float64Array): Float64Array {
  const n = points.length / 3;
  const out = new Float64Array(n);
  const gap = (i: number, j: number): number =>
    Math.hypot(
      points[3 * i] - points[3 * j],
      points[3 * i + 1] - points[3 * j + 1],
      points[3 * i + 2] - points[3 * j + 2],
    );
  for (let i = 0; i < n; i++) out[i] = 0.55 * (gap(i, (i + 1) % n) + gap(i, (i + n - 1) % n));
  return out;
}

/** Patch and surroundings in one numbering: the patch's, then the zone's beyond the rim. */
function pieceOf(mesh: TriangleMesh, skin: HolePatch, zone: Zone): SurfacePiece {
  const n = skin.rim.length;
  const own = skin.positions.length / 3;
  const beyond = zone.vertices.slice(new Set(skin.rim).size);
  const local = new Map<number, number>();
  skin.rim.forEach((v, i) => local.set(v, i));
  beyond.forEach((v, i) => local.set(v, own + i));
  const positions = new Float64Array(3 * (own + beyond.length));
  positions.set(skin.positions);
  beyond.forEach((v, i) => positions.set(mesh.positions.subarray(3 * v, 3 * v + 3), 3 * (own + i)));
  const triangles = Uint32Array.from([
    ...Array.from(skin.triangles),
    ...zone.triangles.flatMap((t) => [0, 1, 2].map((k) => local.get(mesh.indices[3 * t + k])!)),
  ]);
  const free = new Uint8Array(own + beyond.length);
  free.fill(1, n, own);
  return { positions, triangles, free, creases: [] };
}

/** Hides a ring of the surroundings, has each manner find it again, and takes the one that errs least. */
function bestManner(
  start: SurfacePiece,
  piece: SurfacePiece,
  skin: HolePatch,
  zone: Zone,
  diameter: number,
): ContinueManner {
  const own = skin.positions.length / 3;
  const rimSize = new Set(skin.rim).size;
  const widest = zone.way.reduce((a, b) => Math.max(a, b), 0);
  const ring = Math.min(FORETOLD * diameter, 0.4 * widest);
  const free = piece.free.slice();
  const hidden: number[] = [];
  for (let i = 0; i < skin.rim.length; i++) hidden.push(i);
  zone.way.forEach((w, i) => {
    if (i >= rimSize && w <= ring) hidden.push(own + i - rimSize);
  });
  for (const v of hidden) free[v] = 1;
  let best = MANNERS[0];
  let least = Infinity;
  for (const manner of MANNERS) {
    const found = continueSurface({ ...start, free }, { ...manner, rounds: 1 });
    if (!found) continue;
    let squares = 0;
    for (const v of hidden) {
      for (let k = 0; k < 3; k++) squares += (found[3 * v + k] - piece.positions[3 * v + k]) ** 2;
    }
    if (squares < 0.95 * least) {
      least = squares;
      best = manner;
    }
  }
  return best;
}
