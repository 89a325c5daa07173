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

  /** Mean of the points, unit normal of either sign, and root mean square distance; needs three points. */
  solve(): { middle: Vec3; normal: Vec3; rms: number } {
    const { s, count: n } = this;
    const [mx, my, mz] = [s[0] / n, s[1] / n, s[2] / n];
    const xx = s[3] / n - mx * mx;
    const yy = s[6] / n - my * my;
    const zz = s[8] / n - mz * mz;
    const out = new Float64Array(3);
    const variation = smallestEigenvector3(xx, s[4] / n - mx * my, s[5] / n - mx * mz, yy, s[7] / n - my * mz, zz, out);
    return {
      middle: [mx, my, mz],
      normal: [out[0], out[1], out[2]],
      rms: Math.sqrt(Math.max(0, variation * (xx + yy + zz))),
    };
  }
}
