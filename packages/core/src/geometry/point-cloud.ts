import { GeometryError } from '../runtime/geometry-error.js';
import { rotateVectors, transformPoints, type Mat4, type Vec3 } from '../math/mat4.js';

/**
 * Points measured in one coordinate frame, millimetres.
 * `positions` 3n; optional `normals` 3n, unit, turned towards the sensor; optional `colors` 3n, sRGB bytes.
 */
export interface PointCloud {
  positions: Float32Array;
  normals?: Float32Array;
  colors?: Uint8Array;
  /**
   * Rows of the points in the stored cloud they were read from, n. Carried along where points are only left out, so that
   * the result can be kept as a cut; whoever makes new points leaves it out.
   */
  rows?: Uint32Array;
}

export interface Bounds {
  min: Vec3;
  max: Vec3;
}

export function pointCount(cloud: { positions: Float32Array }): number {
  return cloud.positions.length / 3;
}

/** Axis-aligned box around the points; an empty array gives an empty box (min > max). O(n). */
export function boundsOf(positions: ArrayLike<number>): Bounds {
  const min: Vec3 = [Infinity, Infinity, Infinity];
  const max: Vec3 = [-Infinity, -Infinity, -Infinity];
  for (let i = 0; i < positions.length; i += 3) {
    for (let k = 0; k < 3; k++) {
      const v = positions[i + k];
      if (v < min[k]) min[k] = v;
      if (v > max[k]) max[k] = v;
    }
  }
  return { min, max };
}

/** Length of the box diagonal, 0 for an empty box. */
export function diagonalOf(bounds: Bounds): number {
  const d = Math.hypot(bounds.max[0] - bounds.min[0], bounds.max[1] - bounds.min[1], bounds.max[2] - bounds.min[2]);
  return Number.isFinite(d) ? d : 0;
}

/** The points at `indices`, in that order, as a new cloud. O(indices). */
export function selectPoints(cloud: PointCloud, indices: ArrayLike<number>): PointCloud {
  const n = indices.length;
  const out: PointCloud = { positions: new Float32Array(3 * n) };
  if (cloud.normals) out.normals = new Float32Array(3 * n);
  if (cloud.colors) out.colors = new Uint8Array(3 * n);
  if (cloud.rows) out.rows = new Uint32Array(n);
  for (let i = 0; i < n; i++) {
    const s = 3 * indices[i];
    if (out.rows) out.rows[i] = cloud.rows![indices[i]];
    for (let k = 0; k < 3; k++) {
      out.positions[3 * i + k] = cloud.positions[s + k];
      if (out.normals) out.normals[3 * i + k] = cloud.normals![s + k];
      if (out.colors) out.colors[3 * i + k] = cloud.colors![s + k];
    }
  }
  return out;
}

/** The points whose `keep` byte is non-zero. O(n). */
export function filterPoints(cloud: PointCloud, keep: Uint8Array): PointCloud {
  const indices: number[] = [];
  for (let i = 0; i < keep.length; i++) if (keep[i]) indices.push(i);
  return selectPoints(cloud, indices);
}

/** The cloud moved by a rigid transform, as a new cloud. */
export function transformCloud(targetFromSource: Mat4, cloud: PointCloud): PointCloud {
  return {
    positions: transformPoints(targetFromSource, cloud.positions),
    normals: cloud.normals && rotateVectors(targetFromSource, cloud.normals),
    colors: cloud.colors,
  };
}

/**
 * Throws `GeometryError` if the cloud can't be worked on: fewer than `atLeast` points, array lengths that disagree,
 * or coordinates that are not finite.
 */
export function assertUsableCloud(cloud: PointCloud, name: string, atLeast = 100): void {
  const n = pointCount(cloud);
  if (n < atLeast) {
    throw new GeometryError(
      'empty-input',
      `${name} holds ${n} points; at least ${atLeast} are needed. Check that the scan was saved completely.`,
    );
  }
  if (cloud.normals && cloud.normals.length !== 3 * n) {
    throw new GeometryError('degenerate', `${name}: ${cloud.normals.length / 3} normals for ${n} points.`);
  }
  for (let i = 0; i < cloud.positions.length; i++) {
    if (!Number.isFinite(cloud.positions[i])) {
      throw new GeometryError(
        'corrupt-file',
        `${name}: point ${Math.floor(i / 3)} has a coordinate that is not a number.`,
      );
    }
  }
}
