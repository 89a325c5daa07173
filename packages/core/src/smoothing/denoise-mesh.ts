import { triangleCount, vertexCount, vertexNormals, type TriangleMesh } from '../geometry/triangle-mesh.js';
import { solveCholeskyInPlace } from '../math/solve.js';
import { findCrossings } from '../mesh/crossings.js';
import type { RunContext } from '../runtime/run-context.js';
import { FaceFitter, heightAt, newFit } from './face-fits.js';
import { FaceNormals } from './face-normals.js';

export interface DenoiseMeshOptions {
  /** No vertex moves further than this, mm; 0 = three times the noise found, or the expected error where that is more. */
  within: number;
}

export interface DenoisedMesh {
  mesh: TriangleMesh;
  /** How far each vertex moved, mm. */
  moved: Float32Array;
  /** Noise along the normals as found, one standard deviation, mm. */
  noise: number;
  /** Pairs of triangles that cross: those that did before. */
  crossings: number;
}

/** Standard deviations that a vertex may move. */
const REACH = 3;
/** The same of what is left over around it: less, since the shape has a part in that. */
const LOCAL_REACH = 2;
/** Rounds of smoothing normals before the fits, and how much they may differ by the tilt that noise gives them. */
const NORMAL_ROUNDS = 4;
const TILT_SHARE = 1;
const LEAST_TILT = 0.08;
const MOST_TILT = 0.5;
/** The round in which what crosses is taken back in full. */
const FULL_BACK = 4;
/** Pull of a vertex to where it was, by the area around it: only settles it along the surface. */
const STAY = 1e-3;

/**
 * Takes noise away and keeps edges: normals are made even without reaching over edges; then each triangle gets the
 * quadratic that fits the vertices around it on its side of the edges, and each vertex goes where the quadratics of its
 * triangles meet, so that a crisp edge stays the line where two sides meet. No vertex goes further than the noise reaches.
 * Rims stay. O(m).
 * Sources: see `FaceNormals.smooth` and `FaceFitter`; X. Sun et al. (2007), Fast and effective feature-preserving mesh
 * denoising (vertices that follow their triangles).
 * Where triangles would cross, their vertices stay.
 * @throws GeometryError if the context is cancelled
 */
export function denoiseMesh(mesh: TriangleMesh, options: Partial<DenoiseMeshOptions>, ctx: RunContext): DenoisedMesh {
  const within = options.within ?? 0;
  const faces = new FaceNormals(mesh);
  const fitter = new FaceFitter(mesh, faces);
  const { calm: noise, typical } = fitter.noise();
  const tilt = Math.min(MOST_TILT, Math.max(LEAST_TILT, (TILT_SHARE * 2 * typical) / faces.edge));
  for (let round = 0; round < NORMAL_ROUNDS; round++) {
    ctx.checkpoint((0.1 * round) / NORMAL_ROUNDS);
    faces.smooth(tilt);
  }
  const { moves, spread } = wantedMoves(mesh, faces, fitter, noise, ctx.part(0.1, 1));
  const n = vertexCount(mesh);
  const positions = mesh.positions.slice();
  const moved = new Float32Array(n);
  for (let v = 0; v < n; v++) {
    const l = Math.hypot(moves[3 * v], moves[3 * v + 1], moves[3 * v + 2]);
    const expected = mesh.expectedError?.[v] ?? 0;
    const reach =
      within > 0 ? within : Math.max(REACH * noise, expected > 0 ? REACH * expected : 0, LOCAL_REACH * spread[v]);
    const s = l > reach ? reach / l : 1;
    moved[v] = s * l;
    for (let k = 0; k < 3; k++) positions[3 * v + k] += s * moves[3 * v + k];
  }
  const out: TriangleMesh = { ...mesh, positions };
  const crossings = takeBackCrossings(mesh, out, moved);
  if (mesh.normals) out.normals = vertexNormals(out);
  return { mesh: out, moved, noise, crossings };
}

/** Takes vertices back, half way and half way again and then in full, whose triangles cross and did not before. @returns pairs that cross still */
function takeBackCrossings(mesh: TriangleMesh, out: TriangleMesh, moved: Float32Array): number {
  const m = triangleCount(mesh);
  let before: Set<number> | undefined;
  for (let round = 1; ; round++) {
    const keep = round < FULL_BACK ? 0.5 : 0;
    const taken = new Set<number>();
    const pairs = findCrossings(out);
    if (pairs.length === 0) return 0;
    before ??= pairsOf(findCrossings(mesh), m);
    for (let i = 0; i < pairs.length; i += 2) {
      if (before.has(pairs[i] * m + pairs[i + 1])) continue;
      for (let c = 0; c < 6; c++) {
        const v = mesh.indices[3 * pairs[i + (c & 1)] + (c >> 1)];
        if (moved[v] === 0 || taken.has(v)) continue;
        taken.add(v);
        moved[v] *= keep;
        for (let k = 3 * v; k < 3 * v + 3; k++)
          out.positions[k] = mesh.positions[k] + keep * (out.positions[k] - mesh.positions[k]);
      }
    }
    if (taken.size === 0) return pairs.length / 2;
  }
}

function pairsOf(pairs: Uint32Array, m: number): Set<number> {
  const out = new Set<number>();
  for (let i = 0; i < pairs.length; i += 2) out.add(pairs[i] * m + pairs[i + 1]);
  return out;
}

/**
 * Where each vertex would go: to the heights of the fits of its triangles, each along its normal, in the least squares; and
 * how far vertices around it lie off these fits, mm.
 */
function wantedMoves(
  mesh: TriangleMesh,
  faces: FaceNormals,
  fitter: FaceFitter,
  noise: number,
  ctx: RunContext,
): { moves: Float64Array; spread: Float64Array } {
  const { positions: p, indices } = mesh;
  const n = vertexCount(mesh);
  const m = triangleCount(mesh);
  // Lower half of a 3×3 matrix and a right side of each vertex.
  const sums = new Float64Array(9 * n);
  const squares = new Float64Array(n);
  const areas = new Float64Array(n);
  const fit = newFit();
  const { origin: o, frame: f } = fit;
  for (let t = 0; t < m; t++) {
    if ((t & 4095) === 0) ctx.checkpoint(t / m);
    if (faces.areas[t] === 0 || !fitter.fit(t, noise, fit)) continue;
    // What a fit says counts by how surely it says it: those of narrow strips, as along an edge, know little.
    const w = faces.areas[t] / fit.variance;
    for (let c = 0; c < 3; c++) {
      const v = indices[3 * t + c];
      const dx = p[3 * v] - o[0];
      const dy = p[3 * v + 1] - o[1];
      const dz = p[3 * v + 2] - o[2];
      const x = f[0] * dx + f[1] * dy + f[2] * dz;
      const y = f[3] * dx + f[4] * dy + f[5] * dz;
      const z = f[6] * dx + f[7] * dy + f[8] * dz;
      const e = heightAt(fit.coefficients, x, y) - z;
      squares[v] += faces.areas[t] * fit.leftOver;
      areas[v] += faces.areas[t];
      const at = 9 * v;
      sums[at] += w * f[6] * f[6];
      sums[at + 1] += w * f[7] * f[6];
      sums[at + 2] += w * f[7] * f[7];
      sums[at + 3] += w * f[8] * f[6];
      sums[at + 4] += w * f[8] * f[7];
      sums[at + 5] += w * f[8] * f[8];
      sums[at + 6] += w * e * f[6];
      sums[at + 7] += w * e * f[7];
      sums[at + 8] += w * e * f[8];
    }
  }
  const rim = rimVertices(mesh, fitter);
  const out = new Float64Array(3 * n);
  const a = new Float64Array(9);
  const b = new Float64Array(3);
  for (let v = 0; v < n; v++) {
    const at = 9 * v;
    const stay = STAY * (sums[at] + sums[at + 2] + sums[at + 5]);
    if (rim[v] || stay === 0) continue;
    a[0] = sums[at] + stay;
    a[3] = sums[at + 1];
    a[4] = sums[at + 2] + stay;
    a[6] = sums[at + 3];
    a[7] = sums[at + 4];
    a[8] = sums[at + 5] + stay;
    for (let k = 0; k < 3; k++) b[k] = sums[at + 6 + k];
    if (solveCholeskyInPlace(a, b, 3)) out.set(b, 3 * v);
  }
  return { moves: out, spread: squares.map((s, v) => (s > 0 ? Math.sqrt(s / areas[v]) : 0)) };
}

/** Vertices of edges with a triangle on one side only. */
function rimVertices({ positions, indices }: TriangleMesh, { opposite }: FaceFitter): Uint8Array {
  const rim = new Uint8Array(positions.length / 3);
  for (let h = 0; h < opposite.length; h++) {
    if (opposite[h] >= 0) continue;
    rim[indices[h]] = 1;
    rim[indices[h % 3 === 2 ? h - 2 : h + 1]] = 1;
  }
  return rim;
}
