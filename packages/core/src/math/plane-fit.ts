import { smallestEigenvector3 } from './eigen.js';
import type { Vec3 } from './mat4.js';

/**
 * Sums needed to fit a plane to points by least squares of the distances to it; points are added one by one, nothing is
 * stored. The normal is the principal direction of least spread (K. Pearson, 1901, On lines and planes of closest fit).
 */
export class PlaneFit {
  count = 0;
  private readonly s = new Float64Array(9);

  add(x: number, y: number, z: number): void {
    const s = this.s;
    this.count++;
    s[0] += x;
    s[1] += y;
    s[2] += z;
    s[3] += x * x;
    s[4] += x * y;
    s[5] += x * z;
    s[6] += y * y;
    s[7] += y * z;
    s[8] += z * z;
  }

  /**
   * Mean of the points, unit normal of either sign, root mean square distance, and how far the points spread along the plane
   * where they do least (standard deviation; 0 for points in a line, which leave the normal open). Needs three points.
   */
  solve(): { middle: Vec3; normal: Vec3; rms: number; spread: number } {
    const { s, count: n } = this;
    const [mx, my, mz] = [s[0] / n, s[1] / n, s[2] / n];
    const xx = s[3] / n - mx * mx;
    const yy = s[6] / n - my * my;
    const zz = s[8] / n - mz * mz;
    const [xy, xz, yz] = [s[4] / n - mx * my, s[5] / n - mx * mz, s[7] / n - my * mz];
    const out = new Float64Array(3);
    const least = Math.max(0, smallestEigenvector3(xx, xy, xz, yy, yz, zz, out) * (xx + yy + zz));
    // The other two variances by their sum and their product.
    const sum = xx + yy + zz - least;
    const product = xx * yy - xy * xy + xx * zz - xz * xz + yy * zz - yz * yz - least * sum;
    const middling = (sum - Math.sqrt(Math.max(0, sum * sum - 4 * product))) / 2;
    return {
      middle: [mx, my, mz],
      normal: [out[0], out[1], out[2]],
      rms: Math.sqrt(least),
      spread: Math.sqrt(Math.max(0, middling)),
    };
  }
}
