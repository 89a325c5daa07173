import { filterPoints, sensorPositions, type Scan } from '@amber-knit/core/geometry';
import {
  estimateSpacing,
  removeSupportPlane,
  thinByVoxel,
  type RemoveSupportPlaneOptions,
} from '@amber-knit/core/pointcloud';
import type { RunContext } from '@amber-knit/core/runtime';

/** A scan without the plane it stands on; what was taken away stays as proof that the space above it is empty. */
export function withoutSupport(
  scan: Scan,
  options: Partial<RemoveSupportPlaneOptions>,
  ctx: RunContext,
): { scan: Scan; removed: number; found: boolean } {
  const r = removeSupportPlane(scan.cloud, sensorPositions(scan), options, ctx);
  if (!r.plane) return { scan, removed: 0, found: false };
  const gone = filterPoints(
    { positions: scan.cloud.positions },
    r.keep.map((k) => (k ? 0 : 1)),
  );
  const backdrop = thinByVoxel(gone, 2.5 * estimateSpacing(scan.cloud)).cloud.positions;
  return { scan: { ...scan, cloud: r.cloud, backdrop }, removed: r.removed, found: true };
}
