import type { DepthFrame } from '../geometry/depth-frame.js';
import { selectPoints, type PointCloud } from '../geometry/point-cloud.js';
import { transformPoints, type Mat4 } from '../math/mat4.js';
import { frameCloud, joinThinned } from '../pointcloud/index.js';
import type { RunContext } from '../runtime/run-context.js';
import { PointGrid } from '../spatial/point-grid.js';

/** A pixel belongs to the scan if one of its points lies within so many cells: what was cut away lies further off. */
const OWN = 1.5;

/**
 * The points of a scan made anew from its frames, whose views have moved since: one per cube of edge `cell` mm. Only pixels
 * that belonged to the scan before take part, so what was cut away, as a table, stays away. O(pixels).
 *
 * @param cloud the scan's points as they were
 * @param before where its frames stood then, scanFromSensor
 */
export function rejoinFrames(
  cloud: PointCloud,
  frames: readonly DepthFrame[],
  before: readonly Mat4[],
  cell: number,
  ctx: RunContext,
): PointCloud {
  const reach = OWN * cell;
  const grid = new PointGrid(cloud.positions, reach);
  const parts = frames.map((frame, f) => {
    ctx.checkpoint(f / frames.length);
    const seen = frameCloud(frame);
    const old = transformPoints(before[f], seen.positions);
    const own: number[] = [];
    for (let i = 0; i < old.length; i += 3) if (grid.hasWithin(old[i], old[i + 1], old[i + 2], reach)) own.push(i / 3);
    const kept = selectPoints(seen, own);
    return { ...kept, positions: transformPoints(frame.scanFromSensor, kept.positions) };
  });
  return joinThinned(parts, cell);
}
