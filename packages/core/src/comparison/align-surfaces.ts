import { boundsOf, diagonalOf } from '../geometry/point-cloud.js';
import { triangleNormal, type TriangleMesh } from '../geometry/triangle-mesh.js';
import { fromTwist, identity, invertRigid, multiply, rotateVector, transformPoint, type Mat4 } from '../math/mat4.js';
import { solveCholeskyInPlace } from '../math/solve.js';
import { registerScans } from '../registration/register-scans.js';
import { GeometryError } from '../runtime/geometry-error.js';
import type { RunContext } from '../runtime/run-context.js';
import { TriangleBvh, type SurfaceHit } from '../spatial/triangle-bvh.js';
import { sampleSurface, type SurfaceSample } from './sample-surface.js';

/** `as-is`: they lie as they should already. `near`: moved to the best fit from there. `anywhere`: found first, then fitted. */
export type Alignment = 'as-is' | 'near' | 'anywhere';

/** Points that are fitted, and points of each surface that the search looks at. */
const FITTED = 20_000;
const SEARCHED = 30_000;
const ITERATIONS = 40;
/** Tukey's weights vanish at so many standard deviations (A. Beaton, J. Tukey, 1974). */
const TUKEY = 4.685;
/** Standard deviations in a median distance of normal errors. */
const SIGMAS_IN_MEDIAN = 0.6745;
/** Pairs whose normals differ more than this (cosine of 60°) are none. */
const SAME_SIDE = 0.5;

/**
 * The rigid motion that brings a surface onto a reference: `referenceFromPiece`. Invented places take no part. The fit
 * minimises distances along the reference's normals with weights that leave out what differs by more than most does, so that
 * a dent stays a dent.
 * @throws GeometryError `degenerate` if the search finds no place
 */
export async function alignSurfaces(
  mesh: TriangleMesh,
  reference: TriangleMesh,
  how: Alignment,
  ctx: RunContext,
): Promise<Mat4> {
  if (how === 'as-is') return identity();
  const measured = measuredPart(mesh);
  const start =
    how === 'near' ? identity() : await findPlace(measured, reference, ctx.part(0, 0.7, 'Looking for the place'));
  return fitToReference(sampleSurface(measured, FITTED, ctx.random), reference, start, ctx.part(0.7, 1, 'Fitting'));
}

/** The triangles all of whose corners were measured; the whole if there are none. */
function measuredPart(mesh: TriangleMesh): TriangleMesh {
  const { invented, indices, positions } = mesh;
  if (!invented) return mesh;
  const kept: number[] = [];
  for (let t = 0; t < indices.length; t += 3) {
    const corners = [indices[t], indices[t + 1], indices[t + 2]];
    if (!corners.some((v) => invented[v])) kept.push(...corners);
  }
  return kept.length > 0 ? { positions, indices: Uint32Array.from(kept) } : mesh;
}

async function findPlace(mesh: TriangleMesh, reference: TriangleMesh, ctx: RunContext): Promise<Mat4> {
  const cloud = (m: TriangleMesh): SurfaceSample => sampleSurface(m, SEARCHED, ctx.random);
  const { placements } = await registerScans(
    [
      { name: 'reference', cloud: cloud(reference) },
      { name: 'piece', cloud: cloud(mesh) },
    ],
    { reference: 'reference' },
    ctx,
  );
  const placeOf = (name: string): Mat4 | undefined => {
    const found = placements.find((p) => p.name === name);
    return found && found.state !== 'loose' ? found.pieceFromScan : undefined;
  };
  const [a, b] = [placeOf('reference'), placeOf('piece')];
  if (!a || !b)
    throw new GeometryError(
      'degenerate',
      'No place was found where the piece fits the reference. Are they the same object, in the same unit? Put them about right first, then fit from there.',
    );
  return multiply(invertRigid(a), b);
}

/** Gauss–Newton steps over the closest places of the reference (P. Besl, N. McKay, 1992; Y. Chen, G. Medioni, 1992). */
export function fitToReference(
  { positions: p, normals: n }: SurfaceSample,
  reference: TriangleMesh,
  start: Mat4,
  ctx: RunContext,
): Mat4 {
  const bvh = new TriangleBvh(reference);
  const hit: SurfaceHit = { triangle: 0, squaredDistance: 0, x: 0, y: 0, z: 0, v: 0, w: 0 };
  const count = p.length / 3;
  const reach = 0.25 * diagonalOf(boundsOf(reference.positions));
  const faces = faceNormals(reference);
  const rows = new Float64Array(7 * count);
  let place = start;
  for (let k = 0; k < ITERATIONS; k++) {
    ctx.checkpoint(k / ITERATIONS);
    let pairs = 0;
    for (let i = 0; i < count; i++) {
      const [x, y, z] = transformPoint(place, p[3 * i], p[3 * i + 1], p[3 * i + 2]);
      if (!bvh.closest(x, y, z, reach, hit)) continue;
      const f = 3 * hit.triangle;
      const [fx, fy, fz] = [faces[f], faces[f + 1], faces[f + 2]];
      const [nx, ny, nz] = rotateVector(place, n[3 * i], n[3 * i + 1], n[3 * i + 2]);
      if (nx * fx + ny * fy + nz * fz < SAME_SIDE) continue;
      const off = (x - hit.x) * fx + (y - hit.y) * fy + (z - hit.z) * fz;
      rows.set([y * fz - z * fy, z * fx - x * fz, x * fy - y * fx, fx, fy, fz, off], 7 * pairs++);
    }
    if (pairs < 20) break;
    const step = solveStep(rows, pairs);
    if (!step) break;
    place = multiply(fromTwist(step[0], step[1], step[2], step[3], step[4], step[5]), place);
    if (Math.hypot(step[3], step[4], step[5]) < 1e-6 * reach && Math.hypot(step[0], step[1], step[2]) < 1e-7) break;
  }
  return place;
}

/** One weighted step: turns, then shifts; undefined where the pairs leave it open. */
function solveStep(rows: Float64Array, pairs: number): Float64Array | undefined {
  const sizes = Float64Array.from({ length: pairs }, (_, i) => Math.abs(rows[7 * i + 6])).sort();
  const cut = Math.max(TUKEY * (sizes[pairs >> 1] / SIGMAS_IN_MEDIAN), 1e-9);
  const a = new Float64Array(36);
  const b = new Float64Array(6);
  for (let i = 0; i < pairs; i++) {
    const row = rows.subarray(7 * i, 7 * i + 7);
    const s = row[6] / cut;
    if (Math.abs(s) >= 1) continue;
    const w = (1 - s * s) ** 2;
    for (let r = 0; r < 6; r++) {
      b[r] -= w * row[r] * row[6];
      for (let c = 0; c <= r; c++) a[6 * r + c] += w * row[r] * row[c];
    }
  }
  // Directions that the shape leaves free (a ball, a tube) stay as they are.
  for (let r = 0; r < 6; r++) a[7 * r] += 1e-9 * a[7 * r] + 1e-12;
  return solveCholeskyInPlace(a, b, 6) ? b : undefined;
}

/** Unit normal of each triangle. */
function faceNormals({ positions, indices }: TriangleMesh): Float64Array {
  const out = new Float64Array(indices.length);
  for (let t = 0; t < indices.length; t += 3) {
    const length = triangleNormal(positions, indices[t], indices[t + 1], indices[t + 2], out, t) || 1;
    for (let k = 0; k < 3; k++) out[t + k] /= length;
  }
  return out;
}
