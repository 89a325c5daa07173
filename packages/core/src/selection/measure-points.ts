import { selectPoints, type PointCloud } from '../geometry/point-cloud.js';
import type { Vec3 } from '../math/mat4.js';
import { judgedDensity, localNoise, localSpacing, pieceShare, steepness } from '../pointcloud/point-measures.js';
import type { RunContext } from '../runtime/run-context.js';
import type { SelectableCloud } from './selectable-cloud.js';

/**
 * What points can be judged by: `density`, neighbours over the usual number (flying pixels and dust have few);
 * `angle`, degrees between the line of sight and the normal (90 is grazing); `piece`, size of the loose piece a point
 * belongs to over that of the largest, percent; `distance`, mm from the middle (median) of its scan; `spacing`, mm to the
 * nearest other point; `noise`, mm off the surface of its neighbours; `brightness`, percent.
 */
export type PointMeasure = 'density' | 'angle' | 'piece' | 'distance' | 'spacing' | 'noise' | 'brightness';

/**
 * A measure for every point of a cloud; NaN for points cut away, and for all if it can't be told (`angle` without
 * normals or viewpoints, `noise` without normals, `brightness` without colours). `viewpoints` in the scan's frame.
 */
export function measurePoints(
  cloud: SelectableCloud,
  viewpoints: readonly Vec3[],
  measure: PointMeasure,
  ctx: RunContext,
): Float32Array {
  const out = new Float32Array(cloud.present.size).fill(NaN);
  const ids = cloud.present.toArray();
  if (ids.length === 0 || (measure === 'angle' && (!cloud.normals || viewpoints.length === 0))) return out;
  const there = selectPoints({ positions: cloud.positions, normals: cloud.normals, colors: cloud.colors }, ids);
  const values = valuesOf(there, cloud.spacing, viewpoints, measure, ctx);
  for (let s = 0; s < ids.length; s++) out[ids[s]] = values[s];
  return out;
}

function valuesOf(
  cloud: PointCloud,
  spacing: number,
  viewpoints: readonly Vec3[],
  measure: PointMeasure,
  ctx: RunContext,
): Float32Array {
  if (measure === 'density') return judgedDensity(cloud, spacing, viewpoints, ctx);
  if (measure === 'angle')
    return steepness(cloud, viewpoints).map((c) => (Math.acos(Math.min(1, Math.max(0, c))) * 180) / Math.PI);
  if (measure === 'spacing') return localSpacing(cloud, spacing, ctx);
  if (measure === 'noise') return localNoise(cloud, spacing, ctx);
  const n = cloud.positions.length / 3;
  if (measure === 'brightness') return brightness(cloud.colors, n);
  if (measure === 'piece') return pieceShare(cloud, new Uint8Array(n).fill(1), spacing).map((s) => 100 * s);
  const p = cloud.positions;
  const [mx, my, mz] = [0, 1, 2].map((k) => Float32Array.from({ length: n }, (_, i) => p[3 * i + k]).sort()[n >> 1]);
  return Float32Array.from({ length: n }, (_, i) => Math.hypot(p[3 * i] - mx, p[3 * i + 1] - my, p[3 * i + 2] - mz));
}

/** Luma of sRGB values (Rec. ITU-R BT.709), percent; NaN without colours. */
function brightness(colors: Uint8Array | undefined, n: number): Float32Array {
  if (!colors) return new Float32Array(n).fill(NaN);
  const share = 100 / 255;
  return Float32Array.from(
    { length: n },
    (_, i) => share * (0.2126 * colors[3 * i] + 0.7152 * colors[3 * i + 1] + 0.0722 * colors[3 * i + 2]),
  );
}
