import { boundsOf, diagonalOf } from '../geometry/point-cloud.js';
import { triangleNormal, vertexCount, type TriangleMesh } from '../geometry/triangle-mesh.js';
import { transformPoints, type Mat4, type Vec3 } from '../math/mat4.js';
import { measureDeviation } from '../measure/deviation.js';
import { GeometryError } from '../runtime/geometry-error.js';
import type { RunContext } from '../runtime/run-context.js';
import { TriangleBvh, type SurfaceHit } from '../spatial/triangle-bvh.js';
import { sampleSurface } from './sample-surface.js';

export interface CompareOptions {
  /** Deviations up to this are within tolerance, mm. */
  tolerance: number;
  /** Nothing further off counts as the same place, mm; 0 = a twentieth of the reference's diagonal. */
  limit: number;
}

/** A place where a surface is far off. */
export interface WorstPlace {
  place: Vec3;
  deviation: number;
}

/** A surface against a reference. Shares are of area; statistics are over measured surface alone. */
export interface SurfaceComparison {
  /** Signed, per vertex, mm; positive outside the reference; NaN where nothing lies within the limit. */
  deviations: Float32Array;
  mean: number;
  rms: number;
  /** Ninety-five of a hundred parts of the surface lie off by no more. */
  p95: number;
  largest: number;
  withinRatio: number;
  /** Measured surface with nothing of the reference within the limit. */
  beyondRatio: number;
  inventedRatio: number;
  /** Of the reference: what the surface does not come near within the tolerance. */
  unreachedRatio: number;
  /** Furthest off, of measured surface, apart from each other. */
  worst: WorstPlace[];
}

const LIMIT = 0.05;
/** Places of the reference that are asked whether the surface reaches them. */
const ASKED = 60_000;
const MOST_WORST = 10;
/** Worst places lie so far from each other at least, as a share of the diagonal. */
const APART = 0.06;

/**
 * Compares a surface with a reference. Signs are right at edges and corners too (angle-weighted normals).
 * O((n + a) log m) for n vertices and a places asked.
 * @throws GeometryError `empty-input` for a surface without triangles
 */
export function compareSurfaces(
  mesh: TriangleMesh,
  reference: TriangleMesh,
  referenceFromPiece: Mat4,
  { tolerance, limit }: CompareOptions,
  ctx: RunContext,
): SurfaceComparison {
  if (mesh.indices.length === 0 || reference.indices.length === 0)
    throw new GeometryError('empty-input', 'A surface without triangles can’t be compared.');
  const size = diagonalOf(boundsOf(reference.positions));
  const most = limit > 0 ? limit : LIMIT * size;
  const moved = { ...mesh, positions: transformPoints(referenceFromPiece, mesh.positions) };
  const { distances } = measureDeviation(moved.positions, reference, most, ctx.part(0, 0.7, 'Measuring'));
  const area = vertexAreas(mesh);
  const n = vertexCount(mesh);
  const isMeasured = (v: number): boolean => !mesh.invented || mesh.invented[v] === 0;
  let [total, measured, near, within, sum, squares] = [0, 0, 0, 0, 0, 0];
  const order: number[] = [];
  for (let v = 0; v < n; v++) {
    total += area[v];
    if (!isMeasured(v)) continue;
    measured += area[v];
    const d = distances[v];
    if (Number.isNaN(d)) continue;
    order.push(v);
    near += area[v];
    if (Math.abs(d) <= tolerance) within += area[v];
    sum += area[v] * d;
    squares += area[v] * d * d;
  }
  const bySize = Uint32Array.from(order).sort((a, b) => Math.abs(distances[b]) - Math.abs(distances[a]));
  return {
    deviations: distances,
    mean: near > 0 ? sum / near : 0,
    rms: near > 0 ? Math.sqrt(squares / near) : 0,
    p95: beyondShare(bySize, distances, area, 0.05 * near),
    largest: bySize.length > 0 ? Math.abs(distances[bySize[0]]) : 0,
    withinRatio: measured > 0 ? within / measured : 0,
    beyondRatio: measured > 0 ? (measured - near) / measured : 0,
    inventedRatio: total > 0 ? (total - measured) / total : 0,
    unreachedRatio: unreached(moved, reference, tolerance, ctx.part(0.7, 1, 'Asking what is missing')),
    worst: worstOf(bySize, distances, mesh.positions, APART * size),
  };
}

/** The deviation beyond which a share of the area lies. */
function beyondShare(bySize: Uint32Array, d: Float32Array, area: Float64Array, share: number): number {
  let sum = 0;
  for (const v of bySize) {
    sum += area[v];
    if (sum > share) return Math.abs(d[v]);
  }
  return 0;
}

function worstOf(bySize: Uint32Array, d: Float32Array, p: Float32Array, apart: number): WorstPlace[] {
  const out: WorstPlace[] = [];
  for (const v of bySize) {
    if (out.length === MOST_WORST) break;
    const place: Vec3 = [p[3 * v], p[3 * v + 1], p[3 * v + 2]];
    if (out.every((w) => Math.hypot(...w.place.map((c, k) => c - place[k])) >= apart))
      out.push({ place, deviation: d[v] });
  }
  return out;
}

/** Share of the reference further from the surface than the tolerance. */
function unreached(mesh: TriangleMesh, reference: TriangleMesh, tolerance: number, ctx: RunContext): number {
  const bvh = new TriangleBvh(mesh);
  const hit: SurfaceHit = { triangle: 0, squaredDistance: 0, x: 0, y: 0, z: 0, v: 0, w: 0 };
  const { positions: p } = sampleSurface(reference, ASKED, ctx.random);
  let missed = 0;
  for (let i = 0; i < ASKED; i++) {
    if ((i & 4095) === 0) ctx.checkpoint(i / ASKED);
    if (!bvh.closest(p[3 * i], p[3 * i + 1], p[3 * i + 2], tolerance, hit)) missed++;
  }
  return missed / ASKED;
}

/** A third of the area of the triangles at each vertex. */
function vertexAreas({ positions, indices }: TriangleMesh): Float64Array {
  const out = new Float64Array(positions.length / 3);
  const normal = new Float64Array(3);
  for (let t = 0; t < indices.length; t += 3) {
    const sixth = triangleNormal(positions, indices[t], indices[t + 1], indices[t + 2], normal) / 6;
    for (let k = 0; k < 3; k++) out[indices[t + k]] += sixth;
  }
  return out;
}
