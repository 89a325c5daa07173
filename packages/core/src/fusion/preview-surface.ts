import { boundsOf, pointCount, selectPoints } from '../geometry/point-cloud.js';
import { placedScans, type Placement, type Scan } from '../geometry/scan.js';
import type { TriangleMesh } from '../geometry/triangle-mesh.js';
import { transformPoints } from '../math/mat4.js';
import { createRandom } from '../math/random.js';
import type { RunContext } from '../runtime/run-context.js';
import { fuseScans, type FuseScansOptions } from './fuse-scans.js';

/** Points of all scans together that a preview fuses, and voxels along the piece: about two seconds of one core. */
const POINTS = 30_000;
const VOXELS = 64;

/** A surface to look at before the long run, and how coarse it is. */
export interface PreviewSurface {
  mesh: TriangleMesh;
  /** mm. */
  voxel: number;
}

/**
 * Fuses an even part of the points at a coarse voxel, in the manner asked for: shape, trust and openings are seen, fine detail is not.
 * @throws GeometryError as `fuseScans`
 */
export async function previewSurface(
  scans: readonly Scan[],
  placements: Placement[],
  options: Partial<FuseScansOptions>,
  ctx: RunContext,
): Promise<PreviewSurface> {
  const placed = placedScans(scans.slice(), placements);
  const total = placed.reduce((n, { scan }) => n + pointCount(scan.cloud), 0);
  const share = Math.min(1, POINTS / total);
  const min = [Infinity, Infinity, Infinity];
  const max = [-Infinity, -Infinity, -Infinity];
  const thinned = placed.map(({ scan, placement }): Scan => {
    // By chance: every so many-th point of a scan in rows would leave whole rows out.
    const random = createRandom(1);
    const rows: number[] = [];
    for (let i = 0; i < pointCount(scan.cloud); i++) if (random() < share) rows.push(i);
    const cloud = selectPoints(scan.cloud, Uint32Array.from(rows));
    const b = boundsOf(transformPoints(placement.pieceFromScan, cloud.positions));
    for (let k = 0; k < 3; k++) {
      min[k] = Math.min(min[k], b.min[k]);
      max[k] = Math.max(max[k], b.max[k]);
    }
    // Depth images would bring all their pixels back.
    return { name: scan.name, cloud, viewpoints: scan.viewpoints };
  });
  const longest = Math.max(...max.map((v, k) => v - min[k]), 1e-3);
  const voxel = Math.max(options.voxel ?? 0, longest / VOXELS);
  return { mesh: await fuseScans(thinned, placements, { ...options, voxel }, ctx), voxel };
}
