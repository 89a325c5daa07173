import { filterPoints, pointCount, type PointCloud } from '../geometry/point-cloud.js';
import type { Vec3 } from '../math/mat4.js';
import type { RunContext } from '../runtime/run-context.js';
import { judgedDensity, pieceShare, steepness } from './point-measures.js';
import { estimateSpacing } from './spacing.js';

export interface RemoveStrayPointsOptions {
  /** A point stays if at least this share of the usual number of neighbours lies around it (0–1). */
  densityRatio: number;
  /** Pieces with less than this share of the largest piece's points are dropped (0–1). */
  pieceRatio: number;
  /** Points whose surface is seen at a flatter angle than this (radians from the normal) are dropped; needs normals. */
  maxIncidenceRad: number;
}

/**
 * Of itself nothing goes for a flat angle: normals lean over at rims. More density or larger pieces would cost good points
 * (`npm run bench -- strays`).
 */
export const REMOVE_STRAY_POINTS_DEFAULTS: RemoveStrayPointsOptions = {
  densityRatio: 0.1,
  pieceRatio: 0.002,
  maxIncidenceRad: Math.PI / 2,
};

export interface RemoveStrayPointsResult {
  cloud: PointCloud;
  keep: Uint8Array;
  sparse: number;
  grazing: number;
  smallPieces: number;
}

/**
 * Drops points that stand alone (flying pixels, dust), points seen at a grazing angle, and small loose pieces: by
 * `judgedDensity`, `steepness` and `pieceShare`, one after the other. O(n · neighbours).
 */
export function removeStrayPoints(
  cloud: PointCloud,
  viewpoints: Vec3[],
  options: Partial<RemoveStrayPointsOptions>,
  ctx: RunContext,
): RemoveStrayPointsResult {
  const o = { ...REMOVE_STRAY_POINTS_DEFAULTS, ...options };
  const n = pointCount(cloud);
  const keep = new Uint8Array(n).fill(1);
  const spacing = estimateSpacing(cloud);
  if (!(spacing > 0)) return { cloud, keep, sparse: 0, grazing: 0, smallPieces: 0 };

  const drop = (measure: Float32Array, least: number): number => {
    let dropped = 0;
    for (let i = 0; i < n; i++) {
      if (!keep[i] || !(measure[i] < least)) continue;
      keep[i] = 0;
      dropped++;
    }
    return dropped;
  };
  const sparse = drop(judgedDensity(cloud, spacing, viewpoints, ctx.part(0, 0.8)), o.densityRatio);
  const grazing = drop(steepness(cloud, viewpoints), Math.cos(o.maxIncidenceRad));
  ctx.checkpoint(0.9);
  const smallPieces = drop(pieceShare(cloud, keep, spacing), o.pieceRatio);
  return { cloud: filterPoints(cloud, keep), keep, sparse, grazing, smallPieces };
}
