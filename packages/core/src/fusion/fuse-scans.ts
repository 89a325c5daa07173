import { placedScans, type Placement, type Scan } from '../geometry/scan.js';
import type { TriangleMesh } from '../geometry/triangle-mesh.js';
import { triangleCount } from '../geometry/triangle-mesh.js';
import { NO_ANGLE, NO_SCAN } from '../geometry/vertex-knowledge.js';
import { GeometryError } from '../runtime/geometry-error.js';
import { GrowingArray } from '../runtime/growing-array.js';
import type { RunContext } from '../runtime/run-context.js';
import { marchingCubes } from './marching-cubes.js';
import { gatherPoints, pointsForVoxel } from './measured-points.js';
import { insertEdges } from './insert-edges.js';
import { PATCH_MANNERS, type SurfaceShape } from './patch-fitter.js';
import { patchField, patchReach } from './patch-field.js';
import { settleVertices, type SettledMesh } from './settle-vertices.js';
import { sharpenPatches } from './sharpen-patches.js';
import {
  chooseSites,
  fitPatches,
  learnNoise,
  PATCH_FACTS,
  RANGE,
  RESIDUAL,
  scanCountOf,
  SQUAREST,
  SQUAREST_SCAN,
  type SurfacePatches,
} from './surface-patches.js';
import { applyTrust, type TrustRegion } from './trust.js';
import { trimMesh } from './trim-mesh.js';
import { untangle } from './untangle.js';

export interface FuseScansOptions {
  /** Edge of a voxel, mm: the resolution of the mesh. */
  voxel: number;
  shape: SurfaceShape;
  /** Where which scans count more than others. */
  trust: readonly TrustRegion[];
}

export const FUSE_SCANS_DEFAULTS: FuseScansOptions = { voxel: 0.6, shape: 'even', trust: [] };

/** Any weight at all. */
const NOTHING = 1e-30;

/** Patches lie so many spacings of the points apart: closer ones would only repeat each other's points. */
const PATCH_SPACINGS = 2;

/**
 * Fuses all placed scans into one mesh, open where nothing was seen.
 *
 * The points of all scans are taken together, each with the error that its scan shows at its incidence. A quadratic patch is fitted
 * at every second spacing, as large as the data allow there; marching cubes on the distances to the patches give the
 * triangles, whose vertices then settle on the blended patches. What no point carries is cut off.
 * Every vertex knows how many scans measured it, and its expected error.
 * O(points + patches · points of a patch + voxels).
 * @throws GeometryError `empty-input` if no scan is placed or nothing came out, `too-large` if the voxel is too fine
 */
export async function fuseScans(
  scans: Scan[],
  placements: Placement[],
  options: Partial<FuseScansOptions>,
  ctx: RunContext,
): Promise<TriangleMesh> {
  const { voxel, shape, trust } = { ...FUSE_SCANS_DEFAULTS, ...options };
  const manner = PATCH_MANNERS[shape];
  const gathered = gatherPoints(placedScans(scans, placements), ctx.part(0, 0.1));
  const points = pointsForVoxel(applyTrust(gathered, trust), voxel);
  const cell = Math.max(PATCH_SPACINGS * points.spacing, 0.75 * voxel);
  const sites = chooseSites(points, cell);
  learnNoise(points, sites, ctx.part(0.1, 0.15, 'Learning the noise'));
  let patches = await fitPatches(points, sites, cell, manner, ctx.part(0.15, 0.7, 'Fitting the surface'));
  if (shape === 'crisp')
    patches = await sharpenPatches(
      points,
      patches,
      manner,
      patchReach(cell, voxel),
      ctx.part(0.7, 0.75, 'Sharpening edges'),
    );
  const field = patchField(patches, voxel, ctx.part(0.75, 0.8, 'Building triangles'));
  const cellStarts = new GrowingArray(Uint32Array);
  const rough = marchingCubes(field, NOTHING, ctx.part(0.8, 0.85, 'Building triangles'), cellStarts);
  const placed = settleVertices(rough, patches, ctx.part(0.85, 0.93, 'Settling the vertices'));
  let settled = untangle(placed, rough);
  if (shape === 'crisp') settled = insertEdges(settled, cellStarts.toArray(), voxel);
  const mesh = trimMesh(
    withKnowledge(settled, patches, points.scans),
    points,
    voxel,
    ctx.part(0.95, 1, 'Trimming the rims'),
  );
  if (triangleCount(mesh) === 0) {
    throw new GeometryError('empty-input', `No surface came out at a voxel of ${voxel} mm. Try a coarser one.`);
  }
  return mesh;
}

/** What each vertex knows of how it was measured: as the patch does that counts most there. */
function withKnowledge(
  { positions, indices, sigma, patch }: SettledMesh,
  patches: SurfacePatches,
  scanNames: string[],
): TriangleMesh {
  const { facts, scans, scanWords: words } = patches;
  const n = patch.length;
  const bestAngle = new Uint8Array(n).fill(NO_ANGLE);
  const bestScan = new Uint32Array(n).fill(NO_SCAN);
  const bestDistance = new Float32Array(n).fill(NaN);
  const residual = new Float32Array(n).fill(NaN);
  const scanCount = new Uint8Array(n);
  const scanBits = new Uint32Array(words * n);
  for (let i = 0; i < n; i++) {
    const k = patch[i];
    if (k < 0) continue;
    const f = PATCH_FACTS * k;
    if (facts[f + SQUAREST] > 0) {
      bestScan[i] = facts[f + SQUAREST_SCAN];
      bestAngle[i] = Math.round((180 / Math.PI) * Math.acos(Math.min(1, facts[f + SQUAREST])));
    }
    bestDistance[i] = facts[f + RANGE];
    residual[i] = facts[f + RESIDUAL];
    scanCount[i] = Math.min(255, scanCountOf(patches, k));
    for (let w = 0; w < words; w++) scanBits[words * i + w] = scans[words * k + w];
  }
  return {
    positions,
    indices,
    expectedError: sigma,
    scanCount,
    bestAngle,
    bestScan,
    bestDistance,
    residual,
    scanBits,
    scanNames,
  };
}
