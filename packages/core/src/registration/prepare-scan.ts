import { pointCount, boundsOf, diagonalOf, type PointCloud } from '../geometry/point-cloud.js';
import { sensorPositions, type Scan } from '../geometry/scan.js';
import { estimateNormals } from '../pointcloud/normals.js';
import { computeFpfh } from '../pointcloud/fpfh.js';
import { estimateSpacing } from '../pointcloud/spacing.js';
import { removeStrayPoints, type RemoveStrayPointsOptions } from '../pointcloud/stray-points.js';
import { thinByVoxel } from '../pointcloud/thin.js';
import { dot3, type Vec3 } from '../math/mat4.js';
import { createRandom, type Random } from '../math/random.js';
import { createRunContext, type RunContext } from '../runtime/run-context.js';
import { PointGrid } from '../spatial/point-grid.js';
import type { PreparedScan, RegistrationScale } from './prepared-scan.js';
import { normalSpaceOrder } from './normal-space-order.js';
import { findPlanarFaces, isTurnedLike, snapNormals, type PlanarFace } from './planar-faces.js';
import { buildRangeViews } from './range-view.js';
import { findSelfMotions } from './self-motions.js';
import { surfaceTrust } from './surface-trust.js';
import { surfacePaint } from './surface-paint.js';

/** Radius of the surroundings that features describe, in cells of the coarse cloud; and where scans overlap little. */
const RADIUS = 5.5;
const CLOSE_RADIUS = 4;
/** Surface that is turned like its faces makes up most of a scan from this share on. */
const MOSTLY_FLAT = 0.5;
/** Scans are noisy from this share of the fine cell on, as a phone’s are: others show their faces as they are. */
const NOISY = 0.15;
/** Of noisy scans less need be: beside every edge, as far as their normals reach, nothing looks flat. */
const MOSTLY_FLAT_IN_NOISE = 0.25;
/** So much of it must stand across the largest face: below this cosine to it. */
const WORTH_A_FACE = 0.03;
const ACROSS = 0.9;
/**
 * Crisp edges are rounded by thinning and by noise, those of one scan all in the same way: they err together by this share
 * of the noise on its faces. So the errors of four flat-faced parts at 0.8 mm of noise are 0.5 to 1.6 times the predicted
 * deviations (root mean square), see docs/figures.md. Where there is little noise what noise does not explain is smaller than
 * what edges are trusted less for already.
 */
const EDGES_ERR = 0.8;
/** Faces are told from bent surface while their normals scatter by no more than this each way, radians. */
const FACE_SCATTER = 0.02;
/**
 * What counts of a scan that its faces hold: less than what is kept of it. Sparse rims, small loose pieces and what was seen
 * nearly along the surface show where it goes on, but there pixels hold parts of two surfaces, and draw faces along each
 * other.
 */
const HOLDING: RemoveStrayPointsOptions = {
  densityRatio: 0.25,
  pieceRatio: 0.02,
  maxIncidenceRad: (82 * Math.PI) / 180,
};

/** Cell sizes from the median extent and spacing of the scans. */
export function suggestScale(scans: Scan[]): RegistrationScale {
  const median = (list: number[]): number => list.sort((a, b) => a - b)[list.length >> 1] ?? 0;
  const diagonal = median(scans.map((s) => diagonalOf(boundsOf(s.cloud.positions))));
  const spacing = median(scans.map((s) => estimateSpacing(s.cloud)));
  const coarse = Math.max(diagonal / 52, 2 * spacing);
  return { coarse, fine: Math.min(coarse, Math.max(diagonal / 160, 1.5 * spacing)) };
}

/** Thins, orients and describes a scan. O(n · neighbours). */
export function prepareScan(scan: Scan, scale: RegistrationScale, seed: number, ctx: RunContext): PreparedScan {
  const viewpoints = sensorPositions(scan);
  let cloud = scan.cloud;
  const spacing = estimateSpacing(cloud);
  const radius = Math.max(3 * spacing, 0.8 * scale.fine);
  const estimated = estimateNormals(cloud, viewpoints, { radius }, ctx);
  cloud = { ...cloud, normals: estimated.normals };
  const reach = Math.max(0.3 * scale.fine, 3 * estimated.noise);
  let thinned = thinWithFaces(cloud, scale.fine, reach, createRandom(seed));
  let heldByFaces = areHolding(thinned.faces, thinned.fine, MOSTLY_FLAT);
  const wider = radiusForFaces(estimated.noise, spacing);
  const noisy = estimated.noise > NOISY * scale.fine;
  if (!heldByFaces && noisy && wider > radius) {
    const normals = estimateNormals(cloud, viewpoints, { radius: wider }, ctx).normals;
    const calmer = thinWithFaces({ ...cloud, normals }, scale.fine, reach, createRandom(seed));
    heldByFaces = areHolding(calmer.faces, calmer.fine, MOSTLY_FLAT_IN_NOISE);
    if (heldByFaces) {
      cloud = { ...cloud, normals };
      thinned = calmer;
    }
  }
  if (heldByFaces) {
    cloud = removeStrayPoints(cloud, viewpoints, HOLDING, ctx.part(1, 1)).cloud;
    thinned = thinWithFaces(cloud, scale.fine, reach, createRandom(seed));
  }
  const { fine, shuffle, faces } = thinned;
  const { coarse, keypoints, features } = describeCoarsely(cloud, viewpoints, scale.coarse, ctx);
  const onFace = snapNormals(fine, faces, reach);
  const fineGrid = new PointGrid(fine.positions, 1.5 * scale.fine);
  // Of a scan held by its faces it is the small ones beside its edges that hold the slides.
  const trust = surfaceTrust(fine, fineGrid, scale.fine, heldByFaces ? undefined : onFace);
  const prepared: PreparedScan = {
    name: scan.name,
    coarse,
    coarseGrid: new PointGrid(coarse.positions, scale.coarse),
    keypoints,
    features,
    fine,
    fineGrid,
    trust,
    ...(heldByFaces ? { onFace } : {}),
    ...(heldByFaces && noisy ? { edgesErr: EDGES_ERR * noiseOnFaces(cloud, faces, reach) } : {}),
    fitOrder: normalSpaceOrder(fine, shuffle, trust),
    shuffle,
    views: buildRangeViews(scan, viewpoints),
    faces,
    selfMotions: [],
    paint: surfacePaint(fine, fineGrid, scale.fine, shuffle, viewpoints),
    noise: estimated.noise,
  };
  prepared.selfMotions = findSelfMotions(prepared, scale.coarse, { cell: scale.fine, noise: estimated.noise });
  return prepared;
}

/**
 * Radius within which normals must be estimated to scatter by no more than `FACE_SCATTER` on a face: a plane through n points
 * of noise σ spread over a disc of radius r is tilted by 2 σ / (r √n) each way, and n = π r² / spacing². mm
 */
function radiusForFaces(noise: number, spacing: number): number {
  return Math.sqrt((2 * noise * spacing) / (Math.sqrt(Math.PI) * FACE_SCATTER));
}

/** Distance of the points on faces from these, root mean square, mm. */
function noiseOnFaces({ positions: p, normals }: PointCloud, faces: readonly PlanarFace[], reach: number): number {
  let sum = 0;
  let count = 0;
  for (let i = 0; i < p.length; i += 3) {
    for (const { normal, offset } of faces) {
      const off = p[i] * normal[0] + p[i + 1] * normal[1] + p[i + 2] * normal[2] - offset;
      if (Math.abs(off) > reach || !isTurnedLike(normals!, i, normal)) continue;
      sum += off * off;
      count++;
      break;
    }
  }
  return count > 0 ? Math.sqrt(sum / count) : 0;
}

/** A cloud thinned to one point a cell, its key points and their features. @param cell mm */
export function describeCoarsely(
  cloud: PointCloud,
  viewpoints: Vec3[],
  cell: number,
  ctx: RunContext,
): Pick<PreparedScan, 'coarse' | 'keypoints' | 'features'> {
  const coarse = thinByVoxel(cloud, cell).cloud;
  // Features want normals of the coarse shape, not of the noise.
  coarse.normals = estimateNormals(coarse, viewpoints, { radius: 2.2 * cell }, ctx.part(1, 1)).normals;
  const keypoints = spreadPoints(coarse.positions, 1.7 * cell);
  return { coarse, keypoints, features: computeFpfh(coarse, RADIUS * cell, keypoints) };
}

/** A cloud thinned to one point a cell, its points in random order, and its flat faces. */
function thinWithFaces(
  cloud: PointCloud,
  cell: number,
  reach: number,
  random: Random,
): { fine: PointCloud; shuffle: Uint32Array; faces: PlanarFace[] } {
  const fine = thinByVoxel(cloud, cell).cloud;
  const shuffle = Uint32Array.from({ length: pointCount(fine) }, (_, i) => i);
  for (let i = shuffle.length - 1; i > 0; i--) {
    const j = Math.floor(random() * (i + 1));
    [shuffle[i], shuffle[j]] = [shuffle[j], shuffle[i]];
  }
  return { fine, shuffle, faces: findPlanarFaces(fine, shuffle, reach, random) };
}

/**
 * Whether most of a scan, by the share `mostly`, is turned like one of its flat faces, and some of that stands across the largest. Points are counted
 * rather than faces: many small ones, each too small to be found, hold as well.
 */
function areHolding(faces: readonly PlanarFace[], { normals }: PointCloud, mostly: number): boolean {
  if (faces.length === 0) return false;
  const n = normals!;
  let flat = 0;
  let across = 0;
  for (let i = 0; i < n.length; i += 3) {
    const face = faces.find(({ normal }) => isTurnedLike(n, i, normal));
    if (!face) continue;
    flat++;
    if (Math.abs(dot3(face.normal, faces[0].normal)) < ACROSS) across++;
  }
  const total = n.length / 3;
  return flat > mostly * total && across > WORTH_A_FACE * total;
}

/**
 * The scan described again, at every coarse point and by its nearer surroundings: where little overlaps, wider ones reach
 * beyond the rim, and differ in the two scans. @param cell of the coarse clouds, mm
 */
export function describedClosely(scan: PreparedScan, cell: number): PreparedScan {
  const keypoints = Uint32Array.from({ length: pointCount(scan.coarse) }, (_, i) => i);
  return { ...scan, keypoints, features: computeFpfh(scan.coarse, CLOSE_RADIUS * cell) };
}

/** One preparation, as a task for a pool. */
export function prepareScanTask(scale: RegistrationScale, job: { scan: Scan; seed: number }): PreparedScan {
  return prepareScan(job.scan, scale, job.seed, createRunContext());
}

/** A prepared scan that was copied from another core has lost its grids' methods: gives it new ones. */
export function reviveScan(s: PreparedScan): PreparedScan {
  if (s.fineGrid instanceof PointGrid) return s;
  return {
    ...s,
    coarseGrid: new PointGrid(s.coarse.positions, (s.coarseGrid as PointGrid).cellSize),
    fineGrid: new PointGrid(s.fine.positions, (s.fineGrid as PointGrid).cellSize),
  };
}

/** Indices of points that keep at least `distance` from one another, taken greedily in order. */
function spreadPoints(positions: Float32Array, distance: number): Uint32Array {
  const grid = new PointGrid(positions, distance);
  const near = new Uint32Array(64);
  const covered = new Uint8Array(positions.length / 3);
  const out: number[] = [];
  for (let i = 0; i < covered.length; i++) {
    if (covered[i]) continue;
    out.push(i);
    const k = grid.within(positions[3 * i], positions[3 * i + 1], positions[3 * i + 2], distance, near);
    for (let j = 0; j < k; j++) covered[near[j]] = 1;
  }
  return Uint32Array.from(out);
}
