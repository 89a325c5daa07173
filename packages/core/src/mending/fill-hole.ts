import { vertexNormals, type TriangleMesh } from '../geometry/triangle-mesh.js';
import {
  bending,
  borderVertices,
  continueSurface,
  foldedVertices,
  type ContinueManner,
  type SurfacePiece,
} from './continue-surface.js';
import { partByCreases, type PartedRim } from './hole-creases.js';
import type { Hole } from './holes.js';
import { Patch } from './patch.js';
import type { HolePatch } from './patched-mesh.js';
import type { Surroundings, Zone } from './surroundings.js';
import { triangulateLoop } from './triangulate-loop.js';

/** How a hole is filled: `flat` like a skin, `smooth` as the surroundings go on. */
export type FillShape = 'flat' | 'smooth';

/** Ways to go on; the one that best foretells the surroundings themselves is taken. */
const EXACT: readonly ContinueManner[] = [
  { order: 2, smoothing: 0, rounds: 2 },
  { order: 3, smoothing: 0, rounds: 2 },
];
/** How often a surface is measured anew at most. */
const MOST_ROUNDS = 5;
/** A surface that bends more often than the calmest one by this has gone astray. */
const WILD = 4;
/** The same where the surroundings are rough. */
const SMOOTHING: readonly ContinueManner[] = [
  { order: 2, smoothing: 4, rounds: 2 },
  { order: 3, smoothing: 4, rounds: 2 },
  { order: 3, smoothing: 10, rounds: 2 },
];
/** Surroundings are rough if a ring of them lies this much off what the next rings foretell, by the length of edges. */
const ROUGH = 0.02;
/** Misses that differ by less than this, by the length of edges, are the same. */
const SAME = 0.002;
/** The calmest way to go on is left only for one that foretells this much better. */
const DOUBT = 1.4;
/** A ring of the rim is not gone by if it is so much rougher than the next. */
const RAGGED = 2;
const MOST_RELEASED = 3;
/** Creases are believed if with them the surroundings are foretold with less than this share of the miss without. */
const CREASED = 0.75;
/** Rims of so few vertices are filled without choosing. */
const SMALL = 10;
const LEAST_RINGS = 6;
const MOST_ZONE = 4000;
/** Vertices of one patch at most, rim left out; where it is wide, triangles grow towards its middle. */
const MOST_PATCH = 1500;
const GROWTHS = [1.02, 1.04, 1.07, 1.12, 1.2, 1.4];
/** Rims of more vertices are filled without choosing: far from what is known all ways to go on are guesses. */
const LARGE = 300;
/** So much of a hole's diameter is foretold to choose among ways to go on. */
const FORETOLD = 0.2;

/**
 * Fills one hole with a patch as dense as its surroundings. @param joined whether two vertices of the mesh have an edge
 * already @param islands rims of pieces of surface within the hole, to which the patch goes on
 * @returns the patch, undefined if the rim can't be spanned
 */
export function fillHole(
  mesh: TriangleMesh,
  around: Surroundings,
  hole: Hole,
  joined: (a: number, b: number) => boolean,
  shape: FillShape,
  islands: readonly Uint32Array[] = [],
): HolePatch | undefined {
  // Along the hole the patch runs against the triangles outside.
  const rims = [hole.rim, ...islands].map((r) => Array.from(r).reverse());
  const rim = Uint32Array.from(rims.flat());
  const n = rim.length;
  const points = new Float64Array(3 * n);
  for (let i = 0; i < n; i++) for (let k = 0; k < 3; k++) points[3 * i + k] = mesh.positions[3 * rim[i] + k];
  if (islands.length > 0) {
    const loops = [joinedLoop(points, rims)];
    return fillParted(mesh, around, hole, joined, shape, rim, { points, loops, creases: [] });
  }
  // Over a few edges there is nothing to choose, and in a wide middle nothing to go by.
  const parted = shape === 'flat' || n > LARGE ? undefined : partByCreases(mesh, around, rim, points);
  const whole = { points, loops: [Array.from({ length: n }, (_, i) => i)], creases: [] };
  const plain = fillParted(mesh, around, hole, joined, shape, rim, whole);
  const creased = parted && plain && fillParted(mesh, around, hole, joined, shape, rim, parted);
  return creased && creased.miss < CREASED * plain.miss ? creased : plain;
}

interface FilledHole extends HolePatch {
  /** How far off it foretold the surroundings, mm. */
  miss: number;
}

function fillParted(
  mesh: TriangleMesh,
  around: Surroundings,
  hole: Hole,
  joined: (a: number, b: number) => boolean,
  shape: FillShape,
  rim: Uint32Array,
  { points, loops, creases }: PartedRim,
): FilledHole | undefined {
  const n = rim.length;
  const forbidden = (i: number, j: number): boolean => i < n && j < n && joined(rim[i], rim[j]);
  const triangles: number[] = [];
  // Faces that share a crease must not both make an edge between two of its points.
  const made = new Set<number>();
  const key = (i: number, j: number): number => Math.min(i, j) * (points.length / 3) + Math.max(i, j);
  for (const loop of loops) {
    const own = Float64Array.from(loop.flatMap((v) => Array.from(points.subarray(3 * v, 3 * v + 3))));
    const across = (i: number, j: number): boolean =>
      loop[i] === loop[j] || forbidden(loop[i], loop[j]) || made.has(key(loop[i], loop[j]));
    const beside = normalsBeside(mesh, around, rim, loop);
    const whole = loops.length === 1 && loop.length === n;
    const part =
      triangulateLoop(own, across, beside) ?? (whole ? triangulateLoop(own, () => false, beside) : undefined);
    if (!part) return undefined;
    for (let t = 0; t < part.length; t += 3) {
      for (let k = 0; k < 3; k++) made.add(key(loop[part[t + k]], loop[part[t + ((k + 1) % 3)]]));
    }
    triangles.push(...part.map((i) => loop[i]));
  }
  // A loop that runs to an island and back must not make an edge from both of its sides.
  if (loops.some((loop) => loop.length > n) && !eachEdgeOnce(triangles)) return undefined;
  const edges = wantedEdges(points, n);
  const patch = refinedPatch((growth) => new Patch(points, triangles, edges, forbidden, creases, growth));
  const skin = { rim, positions: patch.positions, triangles: patch.triangles, miss: Infinity };
  if (shape === 'flat') return skin;
  const diameter = hole.length / Math.PI;
  const zone = around.zone(rim, 0.6 * diameter, LEAST_RINGS, MOST_ZONE);
  // A first surface shows where the patch is stretched; there it gets more vertices.
  const first = leastBent(pieceOf(mesh, skin, zone, creases));
  if (!first) return skin;
  for (let i = 3 * n; i < patch.positions.length; i++) patch.positions[i] = first[i];
  patch.refine(n + 2 * MOST_PATCH);
  const piece = pieceOf(mesh, skin, zone, creases);
  const start = { ...piece, positions: leastBent(piece) ?? piece.positions };
  const found =
    n <= SMALL || n > LARGE ? { positions: start.positions, miss: 0 } : goOn(start, new Rings(skin, zone), diameter);
  if (!found) return skin;
  const positions = Float64Array.from(skin.positions);
  positions.set(found.positions.subarray(3 * n, positions.length), 3 * n);
  return { ...skin, positions, miss: found.miss };
}

/** One loop of several: it runs to each island where that comes nearest, round it, and back. */
function joinedLoop(points: Float64Array, rims: readonly (readonly number[])[]): number[] {
  let first = rims[0].length;
  let loop = rims[0].map((_, i) => i);
  for (const rim of rims.slice(1)) {
    const own = rim.map((_, i) => first + i);
    first += rim.length;
    let nearest = Infinity;
    let [from, to] = [0, 0];
    loop.forEach((a, i) =>
      own.forEach((b, j) => {
        const d =
          (points[3 * a] - points[3 * b]) ** 2 +
          (points[3 * a + 1] - points[3 * b + 1]) ** 2 +
          (points[3 * a + 2] - points[3 * b + 2]) ** 2;
        if (d < nearest) [nearest, from, to] = [d, i, j];
      }),
    );
    loop = [...loop.slice(0, from + 1), ...own.slice(to), ...own.slice(0, to + 1), ...loop.slice(from)];
  }
  return loop;
}

/** Does every edge run each way at most once? */
function eachEdgeOnce(triangles: readonly number[]): boolean {
  const seen = new Set<string>();
  for (let t = 0; t < triangles.length; t += 3)
    for (let k = 0; k < 3; k++) {
      const edge = `${triangles[t + k]} ${triangles[t + ((k + 1) % 3)]}`;
      if (seen.has(edge)) return false;
      seen.add(edge);
    }
  return true;
}

/** A patch as dense as its rim, or as dense as the limit allows. */
function refinedPatch(make: (growth: number) => Patch): Patch {
  let patch: Patch | undefined;
  for (const growth of GROWTHS) {
    patch = make(growth);
    const most = patch.positions.length / 3 + MOST_PATCH;
    patch.refine(most);
    if (patch.positions.length < 3 * most) break;
  }
  return patch!;
}

/** Normals of the surface beside the edges of a loop, zeros along creases, 3n. */
function normalsBeside(mesh: TriangleMesh, around: Surroundings, rim: Uint32Array, loop: number[]): Float64Array {
  const out = new Float64Array(3 * loop.length);
  const p = mesh.positions;
  loop.forEach((v, i) => {
    const w = loop[(i + 1) % loop.length];
    if (v >= rim.length || w !== (v + 1) % rim.length) return;
    const beside = around.trianglesAt(rim[w]);
    const t = Array.from(around.trianglesAt(rim[v])).find((u) => beside.includes(u));
    if (t === undefined) return;
    const [a, b, c] = [0, 1, 2].map((k) => 3 * mesh.indices[3 * t + k]);
    const u = [0, 1, 2].map((k) => p[b + k] - p[a + k]);
    const s = [0, 1, 2].map((k) => p[c + k] - p[a + k]);
    const n = [u[1] * s[2] - u[2] * s[1], u[2] * s[0] - u[0] * s[2], u[0] * s[1] - u[1] * s[0]];
    const l = Math.hypot(...n) || 1;
    for (let k = 0; k < 3; k++) out[3 * i + k] = n[k] / l;
  });
  return out;
}

/**
 * The surface that bends least, from two beginnings: the patch as it is, and as it hangs with all edges alike. Each is
 * measured anew as long as that lessens the bending.
 */
function leastBent(piece: SurfacePiece): Float64Array | undefined {
  let best: Float64Array | undefined;
  let least = Infinity;
  for (const even of [false, true]) {
    let positions = piece.positions;
    for (let round = 0; round < MOST_ROUNDS; round++) {
      const manner: ContinueManner = { order: 2, smoothing: 0, rounds: 1, even: even && round === 0 };
      const found = continueSurface({ ...piece, positions }, manner);
      const bent = found ? bending(piece, found) : Infinity;
      if (!found || (round > 1 && bent > least)) break;
      if (bent < least) {
        least = bent;
        best = found;
      }
      positions = found;
    }
  }
  return best;
}

/** As long as the edges at each rim vertex; inside, along creases, as the mean of these. */
function wantedEdges(points: Float64Array, n: number): Float64Array {
  const out = new Float64Array(points.length / 3);
  const gap = (i: number, j: number): number =>
    Math.hypot(
      points[3 * i] - points[3 * j],
      points[3 * i + 1] - points[3 * j + 1],
      points[3 * i + 2] - points[3 * j + 2],
    );
  for (let i = 0; i < n; i++) out[i] = 0.55 * (gap(i, (i + 1) % n) + gap(i, (i + n - 1) % n));
  out.fill(out.subarray(0, n).reduce((s, x) => s + x, 0) / n, n);
  return out;
}

/** Patch and surroundings in one numbering: the patch's, then the zone's beyond the rim. */
function pieceOf(
  mesh: TriangleMesh,
  skin: HolePatch,
  zone: Zone,
  creases: readonly (readonly number[])[],
): SurfacePiece {
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
  const piece = { positions, triangles, free, rim: n, creases };
  return { ...piece, folded: foldedVertices(piece) };
}

/** Vertices of a piece's surroundings by their way from the rim. */
class Rings {
  private readonly own: number;
  private readonly rim: number;

  constructor(
    private readonly skin: HolePatch,
    private readonly zone: Zone,
  ) {
    this.own = skin.positions.length / 3;
    this.rim = new Set(skin.rim).size;
  }

  /** Vertices up to some number of edges from the rim; 0 = the rim's. */
  within(edges: number): number[] {
    return this.take((i) => this.zone.ring[i] <= edges);
  }

  /** Vertices up to some way from the rim, mm, a part of the zone at most. */
  near(way: number, part: number): number[] {
    const widest = this.zone.way.reduce((a, b) => Math.max(a, b), 0);
    return this.take((i) => this.zone.way[i] <= Math.min(way, part * widest));
  }

  private take(which: (i: number) => boolean): number[] {
    const out = Array.from({ length: this.skin.rim.length }, (_, i) => i);
    for (let i = this.rim; i < this.zone.way.length; i++) if (which(i)) out.push(this.own + i - this.rim);
    return out;
  }
}

/** Chooses how the surroundings go on from what they foretell of themselves, and goes on so over the hole. */
function goOn(
  start: SurfacePiece,
  rings: Rings,
  diameter: number,
): { positions: Float64Array; miss: number } | undefined {
  const normals = normalsOf(start);
  const steady = nearBorder(start);
  /** Mean distance along the normal at the best `share` of `asked` when `hidden` has to be found. */
  const miss = (manner: ContinueManner, hidden: readonly number[], asked: readonly number[], share: number): number => {
    const found = continueSurface(released(start, hidden, steady), { ...manner, rounds: 1 });
    if (!found || asked.length === 0) return Infinity;
    const off = Float64Array.from(asked, (v) => {
      let d = 0;
      for (let k = 0; k < 3; k++) d += normals[3 * v + k] * (found[3 * v + k] - start.positions[3 * v + k]);
      return Math.abs(d);
    }).sort();
    const most = Math.ceil(share * off.length);
    return off.subarray(0, most).reduce((s, x) => s + x, 0) / most;
  };
  // Rings that are rougher than those behind them are not gone by.
  let release = 0;
  let rough = 0;
  for (let ring = 0; ring <= MOST_RELEASED; ring++) {
    const hidden = rings.within(ring);
    const inner = ring > 0 ? new Set(rings.within(ring - 1)) : new Set<number>();
    const asked = hidden.filter((v) => !inner.has(v));
    const off = miss(EXACT[0], hidden, asked, 0.6);
    if (ring > 0 && rough > RAGGED * off) release = ring;
    rough = off;
  }
  const edge = edgeLength(start);
  const manners = rough > ROUGH * edge ? [...EXACT, ...SMOOTHING] : EXACT;
  const hidden = Array.from(new Set([...rings.near(FORETOLD * diameter, 0.4), ...rings.within(release)]));
  const kept = new Set(release > 0 ? rings.within(release - 1) : []);
  const asked = hidden.filter((v) => !kept.has(v));
  const ranked = manners
    .map((manner, i) => ({ manner, off: (miss(manner, hidden, asked, 1) + SAME * edge) * (i === 0 ? 1 : DOUBT) }))
    .sort((a, b) => a.off - b.off);
  const loose = released(start, Array.from(kept), steady);
  const calm = kept.size > 0 ? leastBent(loose) : start.positions;
  for (const { manner, off } of ranked) {
    if (!Number.isFinite(off)) break;
    if (manner === EXACT[0] && calm) return { positions: calm, miss: off };
    const positions = continueSurface(loose, manner);
    if (positions && calm && bending(loose, positions) < WILD * bending(loose, calm)) return { positions, miss: off };
  }
  return undefined;
}

/** The piece with more to be found: the vertices given, but for those that hold it at its border. */
function released(piece: SurfacePiece, vertices: readonly number[], steady: Uint8Array): SurfacePiece {
  const free = piece.free.slice();
  for (const v of vertices) if (!steady[v]) free[v] = 1;
  return { ...piece, free };
}

/** Vertices within two edges of the piece's border: without them known, nothing would say how it lies and turns. */
function nearBorder({ triangles, free }: SurfacePiece): Uint8Array {
  let near = borderVertices(triangles, free.length);
  for (let step = 0; step < 2; step++) {
    const wider = near.slice();
    for (let t = 0; t < triangles.length; t += 3) {
      const corners = triangles.subarray(t, t + 3);
      if (corners.some((v) => near[v])) for (const v of corners) wider[v] = 1;
    }
    near = wider;
  }
  return near;
}

function edgeLength({ positions: p, triangles }: SurfacePiece): number {
  let sum = 0;
  for (let t = 0; t < triangles.length; t += 3) {
    const [a, b] = [3 * triangles[t], 3 * triangles[t + 1]];
    sum += Math.hypot(p[a] - p[b], p[a + 1] - p[b + 1], p[a + 2] - p[b + 2]);
  }
  return (3 * sum) / triangles.length;
}

function normalsOf({ positions, triangles }: SurfacePiece): Float32Array {
  return vertexNormals({ positions: Float32Array.from(positions), indices: triangles });
}
