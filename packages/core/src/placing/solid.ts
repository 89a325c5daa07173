import type { TriangleMesh } from '../geometry/triangle-mesh.js';
import { Pseudonormals } from '../measure/pseudonormals.js';
import { TriangleBvh, type SurfaceHit } from '../spatial/triangle-bvh.js';

/** A surface that can be asked how deep a place lies within it. An open one is solid behind its surface, up to a depth. */
export class Solid {
  readonly bvh: TriangleBvh;
  /** No edge lies on a rim: it has an inside. */
  readonly closed: boolean;
  private readonly sides: Pseudonormals;
  private readonly hit: SurfaceHit = { triangle: 0, squaredDistance: 0, x: 0, y: 0, z: 0, v: 0, w: 0 };

  constructor(readonly mesh: TriangleMesh) {
    this.bvh = new TriangleBvh(mesh);
    this.sides = new Pseudonormals(mesh);
    this.closed = this.sides.closed;
  }

  /** The triangle that the last asked place was nearest to. */
  get nearest(): number {
    return this.hit.triangle;
  }

  /**
   * Signed distance of a place to the surface, mm: below 0 within. What is nearest to a rim lies outside. O(log m)
   * @param most further away than this is outside, too, at this distance
   */
  signed(x: number, y: number, z: number, most = 1e12): number {
    if (!this.bvh.closest(x, y, z, most, this.hit)) return most;
    const d = Math.sqrt(this.hit.squaredDistance);
    return this.sides.side(this.hit, x, y, z) < 0 && !this.sides.isOnRim(this.hit) ? -d : d;
  }
}
