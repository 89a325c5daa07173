import { boundsOf, diagonalOf } from '../geometry/point-cloud.js';
import { vertexCount, vertexNormals, type TriangleMesh } from '../geometry/triangle-mesh.js';
import { vertexTriangles, type VertexTriangles } from '../mesh/vertex-triangles.js';
import { GeometryError } from '../runtime/geometry-error.js';
import type { RunContext } from '../runtime/run-context.js';
import { areaOfRegion, RegionGrower, type ShapeRegion } from './grow-region.js';
import { ShapeDistance } from './shape.js';

/** A part of a surface that was found to be of one shape. */
export interface FoundShape extends ShapeRegion {
  /** mm². */
  area: number;
}

/** A shape that covers less of the surface is not named. */
const LEAST_SHARE = 0.005;
/** So much of a region must not belong to a shape that was found before. */
const NEW = 0.6;
/** Normals that turn by more along one edge (cosine of 35°) stand at an edge of the object. */
const EDGE = 0.82;
/** The scatter of a shape is at most this share of the surface's diagonal, or what is expected: a lump that is nearly round is none. */
const SCATTER = 0.001;
const EXPECTED = 2;
/** What goes on where a shape ends may lie off it by this share of that. */
const BENT = 0.3;
/** Looks that bring nothing before the search ends. */
const IN_VAIN = 25;

/**
 * Finds the planes, balls, cylinders, cones and tori of a surface, the largest first, without anybody picking: it begins in
 * the middle of the broadest part that belongs to none yet, away from edges, and lets a region grow there. Free-formed
 * surfaces give none. O(looks · region · rounds).
 * @param most shapes that are wanted
 */
export function findShapes(mesh: TriangleMesh, most: number, ctx: RunContext): FoundShape[] {
  const n = vertexCount(mesh);
  if (n === 0 || mesh.indices.length === 0) return [];
  const grower = new RegionGrower(mesh);
  const around = vertexTriangles(mesh);
  const total = areaOfRegion(
    mesh,
    Uint32Array.from({ length: n }, (_, v) => v),
  );
  /** 1 where a look has been, or an edge is. */
  const taken = edgesOf(mesh, around);
  /** Which shape a vertex belongs to, counted from 1. */
  const owned = new Uint16Array(n);
  const loosest = loosestScatter(mesh);
  const shapes: FoundShape[] = [];
  const depth = new Int32Array(n);
  for (let vain = 0, looks = 0; vain < IN_VAIN && shapes.length < most; looks++) {
    ctx.checkpoint(Math.min(0.99, 1 - 0.97 ** looks));
    const seed = farthestFrom(taken, mesh, around, depth);
    if (seed < 0) break;
    const found = regionAt(grower, seed);
    // What lies around a look in vain is not looked at again.
    const gone = found?.vertices ?? ringsAround(mesh, around, seed, Math.max(1, depth[seed] >> 1));
    const fresh = found ? found.vertices.reduce((sum, v) => sum + (owned[v] ? 0 : 1), 0) : 0;
    for (const v of gone) taken[v] = 1;
    taken[seed] = 1;
    const area = found ? areaOfRegion(mesh, found.vertices) : 0;
    if (!found || area < LEAST_SHARE * total || fresh < NEW * found.vertices.length || !isSure(found, area, loosest)) {
      vain++;
      continue;
    }
    vain = 0;
    const same = shapes.findIndex((s, k) => isPartOf(found, s, k + 1, mesh, owned, around, loosest));
    if (same >= 0) {
      const both = Uint32Array.from(new Set([...shapes[same].vertices, ...found.vertices]));
      const larger = found.vertices.length > shapes[same].vertices.length ? found : shapes[same];
      const whole = grower.refit(larger.fit.shape, both);
      shapes[same] = { ...whole, area: areaOfRegion(mesh, both) };
    } else shapes.push({ ...found, area });
    for (const v of found.vertices) if (owned[v] === 0) owned[v] = (same >= 0 ? same : shapes.length - 1) + 1;
  }
  ctx.checkpoint(1);
  return shapes.sort((a, b) => b.area - a.area);
}

function regionAt(grower: RegionGrower, seed: number): ShapeRegion | undefined {
  try {
    return grower.grow(seed, 'any');
  } catch (e) {
    if (e instanceof GeometryError && e.code === 'degenerate') return undefined;
    throw e;
  }
}

/** Is this a shape that a person would name, rather than a lump that is nearly round? */
function isSure({ fit: { shape, rms }, inventedRatio }: ShapeRegion, area: number, loosest: number): boolean {
  if (inventedRatio > 0.5 || rms > loosest) return false;
  // A ball, cylinder or ring of which only a shallow cap is there is as well a patch of a free form.
  return shape.kind === 'plane' || shape.kind === 'cone' || area > 0.05 * shape.radius ** 2;
}

/** Do two regions touch, and does the smaller lie on the shape of the larger? Then they are one. */
function isPartOf(
  found: ShapeRegion,
  shape: FoundShape,
  number: number,
  { positions, indices }: TriangleMesh,
  owned: Uint16Array,
  { start, list }: VertexTriangles,
  loosest: number,
): boolean {
  if (found.fit.shape.kind !== shape.fit.shape.kind) return false;
  const [small, large] = found.vertices.length < shape.vertices.length ? [found, shape] : [shape, found];
  const distance = new ShapeDistance(large.fit.shape);
  let squares = 0;
  for (const v of small.vertices)
    squares += distance.at(positions[3 * v], positions[3 * v + 1], positions[3 * v + 2]) ** 2;
  const off = Math.sqrt(squares / small.vertices.length);
  if (off > Math.max(2 * small.fit.rms, 2 * large.fit.rms, BENT * loosest)) return false;
  return found.vertices.some((v) => {
    for (let k = start[v]; k < start[v + 1]; k++)
      for (let c = 0; c < 3; c++) if (owned[indices[3 * list[k] + c]] === number) return true;
    return false;
  });
}

/** How much the vertices of a shape may scatter about it, mm. */
function loosestScatter({ positions, expectedError }: TriangleMesh): number {
  const known = (expectedError ?? new Float32Array(0)).filter((e) => e > 0).sort();
  const expected = known.length > 0 ? known[known.length >> 1] : 0;
  return Math.max(SCATTER * diagonalOf(boundsOf(positions)), EXPECTED * expected);
}

/** Marks the vertices at edges of the object. */
function edgesOf(mesh: TriangleMesh, { start, list }: VertexTriangles): Uint8Array {
  const normals = mesh.normals ?? vertexNormals(mesh);
  const out = new Uint8Array(vertexCount(mesh));
  const { indices } = mesh;
  for (let v = 0; v < out.length; v++)
    for (let k = start[v]; k < start[v + 1] && out[v] === 0; k++)
      for (let c = 0; c < 3; c++) {
        const [a, b] = [3 * v, 3 * indices[3 * list[k] + c]];
        const facing = normals[a] * normals[b] + normals[a + 1] * normals[b + 1] + normals[a + 2] * normals[b + 2];
        if (facing < EDGE) out[v] = 1;
      }
  return out;
}

/** The vertex with the most rings around it that are free; -1 if there is none. Fills `depth`. */
function farthestFrom(
  taken: Uint8Array,
  { indices }: TriangleMesh,
  { start, list }: VertexTriangles,
  depth: Int32Array,
): number {
  depth.fill(-1);
  let front: number[] = [];
  for (let v = 0; v < taken.length; v++) {
    if (taken[v] === 0) continue;
    depth[v] = 0;
    front.push(v);
  }
  // Nothing is taken yet, and there is no edge: anywhere is as good.
  if (front.length === 0) return 0;
  let last = -1;
  for (let d = 1; front.length > 0; d++) {
    const next: number[] = [];
    for (const v of front)
      for (let k = start[v]; k < start[v + 1]; k++)
        for (let c = 0; c < 3; c++) {
          const w = indices[3 * list[k] + c];
          if (depth[w] >= 0) continue;
          depth[w] = d;
          next.push(w);
        }
    if (next.length > 0) last = next[next.length >> 1];
    front = next;
  }
  if (last >= 0) return last;
  // Pieces without a taken vertex are not reached.
  return depth.indexOf(-1);
}

/** The vertices within so many rings. */
function ringsAround(
  { indices }: TriangleMesh,
  { start, list }: VertexTriangles,
  seed: number,
  rings: number,
): Uint32Array {
  const seen = new Set([seed]);
  let front = [seed];
  for (let r = 0; r < rings; r++) {
    const next: number[] = [];
    for (const v of front)
      for (let k = start[v]; k < start[v + 1]; k++)
        for (let c = 0; c < 3; c++) {
          const w = indices[3 * list[k] + c];
          if (seen.has(w)) continue;
          seen.add(w);
          next.push(w);
        }
    front = next;
  }
  return Uint32Array.from(seen);
}
