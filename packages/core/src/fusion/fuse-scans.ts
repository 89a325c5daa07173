import { placedScans, type Placement, type Scan } from '../geometry/scan.js';
import type { TriangleMesh } from '../geometry/triangle-mesh.js';
import { triangleCount } from '../geometry/triangle-mesh.js';
import { GeometryError } from '../runtime/geometry-error.js';
import type { RunContext } from '../runtime/run-context.js';
import { marchingCubes } from './marching-cubes.js';
import { gatherPoints } from './measured-points.js';
import { PATCH_MANNER } from './patch-fitter.js';
import { patchField } from './patch-field.js';
import { settleVertices } from './settle-vertices.js';
import { chooseSites, fitPatches, learnNoise } from './surface-patches.js';
import { trimMesh } from './trim-mesh.js';

export interface FuseScansOptions {
  /** Edge of a voxel, mm: the resolution of the mesh. */
  voxel: number;
}

export const FUSE_SCANS_DEFAULTS: FuseScansOptions = { voxel: 0.6 };

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
  const { voxel } = { ...FUSE_SCANS_DEFAULTS, ...options };
  const points = gatherPoints(placedScans(scans, placements), ctx.part(0, 0.1));
  const cell = Math.max(PATCH_SPACINGS * points.spacing, 0.75 * voxel);
  const sites = chooseSites(points, cell);
  learnNoise(points, sites, ctx.part(0.1, 0.15, 'Learning the noise'));
  const patches = await fitPatches(points, sites, cell, PATCH_MANNER, ctx.part(0.15, 0.75, 'Fitting the surface'));
  const field = patchField(patches, voxel, ctx.part(0.75, 0.8, 'Building triangles'));
  const rough = marchingCubes(field, NOTHING, ctx.part(0.8, 0.85, 'Building triangles'));
  const settled = settleVertices(rough, patches, ctx.part(0.85, 0.95, 'Settling the vertices'));
  const mesh = trimMesh(settled, points, voxel, ctx.part(0.95, 1, 'Trimming the rims'));
  if (triangleCount(mesh) === 0) {
    throw new GeometryError('empty-input', `No surface came out at a voxel of ${voxel} mm. Try a coarser one.`);
  }
  return mesh;
}
