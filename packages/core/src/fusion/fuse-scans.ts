import type { PointCloud } from '../geometry/point-cloud.js';
import { placedScans, sensorPositions, type Placement, type Scan } from '../geometry/scan.js';
import type { DepthFrame } from '../geometry/depth-frame.js';
import type { TriangleMesh } from '../geometry/triangle-mesh.js';
import { triangleCount } from '../geometry/triangle-mesh.js';
import { GeometryError } from '../runtime/geometry-error.js';
import type { RunContext } from '../runtime/run-context.js';
import { estimateNormals } from '../pointcloud/normals.js';
import { estimateSpacing } from '../pointcloud/spacing.js';
import { PointGrid } from '../spatial/point-grid.js';
import { integrateFrame } from './integrate-frame.js';
import { integratePoints } from './integrate-points.js';
import { marchingCubes } from './marching-cubes.js';
import { SignedField } from './signed-field.js';

export interface FuseScansOptions {
  /** Edge of a voxel, mm: the resolution of the mesh. */
  voxel: number;
  /** Distances are kept up to this many voxels from the surface. */
  truncationVoxels: number;
}

export const FUSE_SCANS_DEFAULTS: FuseScansOptions = { voxel: 0.6, truncationVoxels: 3 };

/**
 * Fuses all placed scans into one mesh, open where nothing was seen. Scans with depth images are fused from these
 * (only where the cleaned cloud still holds points, so that what was removed stays removed), others from their
 * oriented points.
 * @throws GeometryError `empty-input` if no scan is placed or nothing came out, `too-large` if the voxel is too fine
 */
export function fuseScans(
  scans: Scan[],
  placements: Placement[],
  options: Partial<FuseScansOptions>,
  ctx: RunContext,
): TriangleMesh {
  const o = { ...FUSE_SCANS_DEFAULTS, ...options };
  const chosen = placedScans(scans, placements);
  const field = new SignedField(o.voxel, undefined, chosen.length);
  const truncation = o.truncationVoxels * o.voxel;
  chosen.forEach(({ scan, placement }, k) => {
    const part = ctx.part((0.85 * k) / chosen.length, (0.85 * (k + 1)) / chosen.length, `Fusing ${scan.name}`);
    if (scan.frames?.length) {
      const kept = new PointGrid(scan.cloud.positions, 2 * estimateSpacing(scan.cloud) || 1);
      scan.frames.forEach((frame, f) => {
        part.checkpoint(f / scan.frames!.length);
        integrateFrame(field, frame, placement.pieceFromScan, { truncation, scan: k, mask: keptPixels(frame, kept) });
      });
    } else {
      const spacing = estimateSpacing(scan.cloud);
      const viewpoints = sensorPositions(scan);
      const cloud = withNormals(scan.cloud, viewpoints, Math.max(3.5 * spacing, 1.5 * o.voxel), part.part(0, 0.4));
      const support = Math.max(1.8 * o.voxel, 2.2 * spacing);
      integratePoints(
        field,
        cloud,
        placement.pieceFromScan,
        viewpoints,
        { support, truncation, scan: k },
        part.part(0.4, 1),
      );
    }
  });
  const mesh = marchingCubes(field, 0.05, ctx.part(0.85, 1, 'Extracting the surface'));
  if (triangleCount(mesh) === 0) {
    throw new GeometryError('empty-input', `No surface came out at a voxel of ${o.voxel} mm. Try a coarser one.`);
  }
  return mesh;
}

function withNormals(
  cloud: PointCloud,
  viewpoints: [number, number, number][],
  radius: number,
  ctx: RunContext,
): PointCloud {
  if (viewpoints.length === 0 && cloud.normals) return cloud;
  return { ...cloud, normals: estimateNormals(cloud, viewpoints, { radius }, ctx).normals };
}

/** Marks the pixels of a frame whose point the cleaned cloud still holds. */
function keptPixels(frame: DepthFrame, kept: PointGrid): Uint8Array {
  const { width, height, fx, fy, cx, cy } = frame.camera;
  const m = frame.scanFromSensor;
  const mask = new Uint8Array(width * height);
  const radius = kept.cellSize;
  for (let v = 0; v < height; v++) {
    for (let u = 0; u < width; u++) {
      const z = frame.depth[v * width + u];
      if (!(z > 0)) continue;
      const x = ((u - cx) / fx) * z;
      const y = ((v - cy) / fy) * z;
      if (
        kept.hasWithin(
          m[0] * x + m[4] * y + m[8] * z + m[12],
          m[1] * x + m[5] * y + m[9] * z + m[13],
          m[2] * x + m[6] * y + m[10] * z + m[14],
          radius,
        )
      ) {
        mask[v * width + u] = 1;
      }
    }
  }
  return mask;
}
