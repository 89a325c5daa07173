import { diagonalOf, pointCount, type PointCloud } from '../geometry/point-cloud.js';
import { boxOf } from './cloud-measures.js';
import {
  invertRigid,
  multiply,
  rotateVectors,
  rotationAngle,
  transformPoint,
  transformPoints,
  type Mat4,
  type Vec3,
} from '../math/mat4.js';
import { estimateNormals } from '../pointcloud/normals.js';
import { estimateSpacing } from '../pointcloud/spacing.js';
import { createRunContext } from '../runtime/run-context.js';
import { PointGrid } from '../spatial/point-grid.js';
import { registerIcp } from './icp.js';

/** A scan as far as snapping needs it: some thousand evenly spread points. */
export interface SnapScan {
  positions: Float32Array;
  /** Estimated if absent. */
  normals?: Float32Array;
  /** Where the sensor stood, in the scan's frame. */
  viewpoints: Vec3[];
}

/** A place that a scan has snapped to. */
export interface Snapped {
  pieceFromScan: Mat4;
  /** Share of the scan's points that lie on the others there. */
  overlap: number;
  /** Root mean square distance there, mm. */
  rms: number;
  /** Enough of it lies on the others, closely, near where it was held. */
  holds: boolean;
}

/** Points of the moved scan that are tried: enough for a rough fit within a tenth of a second. */
const TRIED = 2000;
/** How far the hand may be off, as a share of the scan's extent, and radians. */
const REACH = 0.09;
const MOST_TURN = 0.35;
/** So much of the scan must come to lie on the others, and so closely, as a multiple of the points' spacing. */
const LEAST_OVERLAP = 0.2;
const CLOSELY = 0.45;

/**
 * Lets a scan that is moved by hand snap onto scans that stay. Prepared once; each try is a few steps of point-to-plane
 * ICP from where the hand holds the scan, with a search distance that shrinks from what a hand may be off to the
 * points' spacing. O(points tried · iterations) a try.
 */
export class Snapping {
  private readonly source: PointCloud;
  private readonly sample: Uint32Array;
  private readonly target: PointCloud;
  private readonly grid: PointGrid;
  private readonly extent: number;
  private readonly spacing: number;
  private readonly middle: Vec3;

  constructor(moving: SnapScan, staying: readonly (SnapScan & { pieceFromScan: Mat4 })[]) {
    this.source = withNormals(moving);
    const n = pointCount(this.source);
    const step = Math.max(1, n / TRIED);
    this.sample = Uint32Array.from({ length: Math.floor(n / step) }, (_, i) => Math.floor(i * step));
    const clouds = staying.map((s) => {
      const own = withNormals(s);
      const positions = transformPoints(s.pieceFromScan, own.positions);
      return { positions, normals: rotateVectors(s.pieceFromScan, own.normals!) };
    });
    this.target = { positions: joined(clouds.map((c) => c.positions)), normals: joined(clouds.map((c) => c.normals)) };
    const box = boxOf(this.source);
    this.extent = diagonalOf(box);
    this.middle = [0, 1, 2].map((k) => (box.min[k] + box.max[k]) / 2) as Vec3;
    this.spacing = Math.max(estimateSpacing(this.source), ...clouds.map((c) => estimateSpacing(c)));
    this.grid = new PointGrid(this.target.positions, 2 * this.spacing);
  }

  /** Tries to snap from where the hand holds the scan. */
  from(held: Mat4): Snapped {
    const found = registerIcp(this.source, this.sample, this.target, this.grid, held, {
      maxDistance: Math.max(REACH * this.extent, 3 * this.spacing),
      minDistance: 1.5 * this.spacing,
      minNormalCosine: 0.6,
    });
    const pieceFromScan = found.targetFromSource;
    const moved = multiply(pieceFromScan, invertRigid(held));
    const from = transformPoint(held, ...this.middle);
    const to = transformPoint(pieceFromScan, ...this.middle);
    const holds =
      found.wellPosed &&
      found.overlapRatio >= LEAST_OVERLAP &&
      found.rms <= CLOSELY * this.spacing &&
      rotationAngle(moved) <= MOST_TURN &&
      Math.hypot(to[0] - from[0], to[1] - from[1], to[2] - from[2]) <= 1.5 * REACH * this.extent;
    return { pieceFromScan, overlap: found.overlapRatio, rms: found.rms, holds };
  }
}

function withNormals({ positions, normals, viewpoints }: SnapScan): PointCloud {
  if (normals) return { positions, normals };
  const cloud = { positions };
  const radius = 3 * estimateSpacing(cloud);
  return { positions, normals: estimateNormals(cloud, viewpoints, { radius }, createRunContext()).normals };
}

function joined(parts: Float32Array[]): Float32Array {
  const out = new Float32Array(parts.reduce((n, p) => n + p.length, 0));
  let at = 0;
  for (const p of parts) {
    out.set(p, at);
    at += p.length;
  }
  return out;
}
