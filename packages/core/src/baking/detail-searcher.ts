import type { TriangleMesh } from '../geometry/triangle-mesh.js';
import { TriangleBvh, type SurfaceHit } from '../spatial/triangle-bvh.js';

/** How a search came out. */
export const FOUND = 0;
export const MISSED = 1;
export const WRONG_SIDE = 2;
export const SLANTED = 3;

/** Surface that is met more slantwise than this (cosine) is smeared. */
const SLANT = 0.15;
/** The nearest place stands in for one along the normal if it faces about the same way (cosine). */
const ALIKE = 0.3;

/**
 * Looks for the dense surface from places of a light one, along their normals: of what faces outwards within reach the nearest,
 * since what is farther belongs to another wall. Where the line passes by, the nearest place that faces the same way stands in.
 * The last result stays in the fields.
 */
export class DetailSearcher {
  /** Where it was found: a triangle and the shares of its second and third corner. */
  triangle = 0;
  v = 0;
  w = 0;
  /** How far along the normal, mm. */
  offset = 0;

  private readonly bvh: TriangleBvh;
  private readonly box = new Float32Array(6);
  private readonly hit: SurfaceHit = { triangle: 0, squaredDistance: 0, x: 0, y: 0, z: 0, v: 0, w: 0 };
  private readonly from = new Float64Array(3);
  private readonly along = new Float64Array(3);
  private outwards = 0;
  private inwards = 0;
  private nearest = 0;
  private facing = 0;
  private away = false;

  constructor(private readonly dense: TriangleMesh) {
    this.bvh = new TriangleBvh(dense);
  }

  /** @param along unit vector @returns `FOUND`, `MISSED`, `WRONG_SIDE` or `SLANTED` */
  find(from: ArrayLike<number>, along: ArrayLike<number>, outwards: number, inwards: number): number {
    for (let k = 0; k < 3; k++) {
      this.from[k] = from[k];
      this.along[k] = along[k];
      const a = from[k] + outwards * along[k];
      const b = from[k] - inwards * along[k];
      // Numbers of 32 bits are rounded: a hair more on both sides.
      const hair = 1e-6 * Math.max(Math.abs(a), Math.abs(b));
      this.box[k] = Math.min(a, b) - hair;
      this.box[3 + k] = Math.max(a, b) + hair;
    }
    this.outwards = outwards;
    this.inwards = inwards;
    this.nearest = Infinity;
    this.away = false;
    this.bvh.meeting(this.box, this.meet);
    if (this.nearest < Infinity) return this.facing < SLANT ? SLANTED : FOUND;
    if (this.bvh.closest(from[0], from[1], from[2], Math.max(outwards, inwards), this.hit)) {
      const { hit } = this;
      if (this.cosine(hit.triangle) > ALIKE) {
        this.triangle = hit.triangle;
        this.v = hit.v;
        this.w = hit.w;
        this.offset = (hit.x - from[0]) * along[0] + (hit.y - from[1]) * along[1] + (hit.z - from[2]) * along[2];
        return FOUND;
      }
      this.away = true;
    }
    return this.away ? WRONG_SIDE : MISSED;
  }

  /** Cosine between a triangle's normal and the line. */
  private cosine(t: number): number {
    const { positions: p, indices } = this.dense;
    const [a, b, c] = [3 * indices[3 * t], 3 * indices[3 * t + 1], 3 * indices[3 * t + 2]];
    const [ux, uy, uz] = [p[b] - p[a], p[b + 1] - p[a + 1], p[b + 2] - p[a + 2]];
    const [vx, vy, vz] = [p[c] - p[a], p[c + 1] - p[a + 1], p[c + 2] - p[a + 2]];
    const [x, y, z] = [uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx];
    const length = Math.sqrt(x * x + y * y + z * z);
    return length > 0 ? (x * this.along[0] + y * this.along[1] + z * this.along[2]) / length : 0;
  }

  /** Meets the line with a triangle, on both sides of where it starts. Source: T. Möller, B. Trumbore (1997), Fast, minimum storage ray/triangle intersection. */
  private readonly meet = (t: number): void => {
    const { positions: p, indices } = this.dense;
    const [dx, dy, dz] = this.along;
    const a = 3 * indices[3 * t];
    const b = 3 * indices[3 * t + 1];
    const c = 3 * indices[3 * t + 2];
    const ux = p[b] - p[a];
    const uy = p[b + 1] - p[a + 1];
    const uz = p[b + 2] - p[a + 2];
    const vx = p[c] - p[a];
    const vy = p[c + 1] - p[a + 1];
    const vz = p[c + 2] - p[a + 2];
    const hx = dy * vz - dz * vy;
    const hy = dz * vx - dx * vz;
    const hz = dx * vy - dy * vx;
    const det = ux * hx + uy * hy + uz * hz;
    if (det === 0) return;
    const sx = this.from[0] - p[a];
    const sy = this.from[1] - p[a + 1];
    const sz = this.from[2] - p[a + 2];
    const v = (sx * hx + sy * hy + sz * hz) / det;
    if (v < -1e-9 || v > 1 + 1e-9) return;
    const qx = sy * uz - sz * uy;
    const qy = sz * ux - sx * uz;
    const qz = sx * uy - sy * ux;
    const w = (dx * qx + dy * qy + dz * qz) / det;
    if (w < -1e-9 || v + w > 1 + 1e-9) return;
    const d = (vx * qx + vy * qy + vz * qz) / det;
    if (d > this.outwards || d < -this.inwards) return;
    // Its normal is u × v: it faces outwards where det < 0.
    if (det >= 0) this.away = true;
    else if (Math.abs(d) < this.nearest) {
      this.nearest = Math.abs(d);
      this.triangle = t;
      this.v = v;
      this.w = w;
      this.offset = d;
      const nx = uy * vz - uz * vy;
      const ny = uz * vx - ux * vz;
      const nz = ux * vy - uy * vx;
      this.facing = -det / Math.sqrt(nx * nx + ny * ny + nz * nz);
    }
  };
}
