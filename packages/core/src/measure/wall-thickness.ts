import { triangleNormal, type TriangleMesh } from '../geometry/triangle-mesh.js';
import type { Vec3 } from '../math/mat4.js';
import { TriangleBvh, type SurfaceHit } from '../spatial/triangle-bvh.js';

/**
 * `ball`: diameter of the largest ball that touches the place from within and fits between the walls; `ray`: way straight
 * inwards to the other side. The ball never says more than the wall has, the ray may, where walls are not parallel.
 */
export type ThicknessMethod = 'ball' | 'ray';

/** A touch so near to the place itself, seen from the ball's middle, is its own bumps (cosine of 40°). */
const OWN_BUMP = 0.766;
/** Another side faces the other way at least so far (cosine of 120°). */
const OPPOSITE = -0.5;
/** Balls settle in a handful of steps. */
const STEPS = 24;

/** Wall thickness at places of a closed surface. */
export class WallThickness {
  private readonly bvh: TriangleBvh;
  private readonly hit: SurfaceHit = { triangle: 0, squaredDistance: 0, x: 0, y: 0, z: 0, v: 0, w: 0 };

  private readonly other = new Float64Array(3);

  /** O(triangles). */
  constructor(mesh: TriangleMesh) {
    this.bvh = new TriangleBvh(mesh);
  }

  /**
   * As `at`, but only where another side faces the other way: at an edge the neighbouring face is no wall. NaN elsewhere.
   * A ball that touches no such side within itself says nothing either.
   */
  between(place: Vec3, normal: Vec3, method: ThicknessMethod, most: number): number {
    const [nx, ny, nz] = normal;
    const skip = 1e-5 * most;
    const from = [place[0] - skip * nx, place[1] - skip * ny, place[2] - skip * nz];
    const through = this.bvh.firstHit(from, [-nx, -ny, -nz], most);
    if (through < 0) return NaN;
    const { hit } = this;
    const tiny = 1e-3 * most;
    if (!this.bvh.closest(from[0] - through * nx, from[1] - through * ny, from[2] - through * nz, tiny, hit))
      return NaN;
    const { positions, indices } = this.bvh.mesh;
    const t = 3 * hit.triangle;
    const length = triangleNormal(positions, indices[t], indices[t + 1], indices[t + 2], this.other) || 1;
    if ((this.other[0] * nx + this.other[1] * ny + this.other[2] * nz) / length > OPPOSITE) return NaN;
    return method === 'ray' ? through + skip : this.at(place, normal, 'ball', most);
  }

  /**
   * Thickness at a place with an outward unit normal, up to `most` mm; NaN where there is no other side within that.
   *
   * Source of the ball: J. Ma, S. Bae, S. Choi (2012), 3D medial axis point approximation using nearest neighbors and the
   * normal field; here with the surface itself in place of points.
   */
  at(place: Vec3, normal: Vec3, method: ThicknessMethod, most: number): number {
    const [x, y, z] = place;
    const [nx, ny, nz] = normal;
    const { hit } = this;
    const skip = 1e-5 * most;
    const through = this.bvh.firstHit([x - skip * nx, y - skip * ny, z - skip * nz], [-nx, -ny, -nz], most);
    if (method === 'ray') return through < 0 ? NaN : through + skip;
    let r = (through < 0 ? most : through + skip) / 2;
    for (let k = 0; k < STEPS; k++) {
      const [cx, cy, cz] = [x - r * nx, y - r * ny, z - r * nz];
      if (!this.bvh.closest(cx, cy, cz, r * (1 - 1e-4), hit)) break;
      const [dx, dy, dz] = [x - hit.x, y - hit.y, z - hit.z];
      const along = dx * nx + dy * ny + dz * nz;
      const toHit =
        ((hit.x - cx) * nx + (hit.y - cy) * ny + (hit.z - cz) * nz) / Math.sqrt(hit.squaredDistance || 1e-30);
      if (toHit > OWN_BUMP || !(along > 0)) break;
      const next = (dx * dx + dy * dy + dz * dz) / (2 * along);
      if (!(next < r)) break;
      const still = r - next < 1e-4 * r;
      r = next;
      if (still) break;
    }
    return 2 * r > most * (1 - 1e-6) ? NaN : 2 * r;
  }
}
