import { symmetricEigen } from './eigen.js';
import { fromQuaternion, type Mat4 } from './mat4.js';

/**
 * Sums needed to fit a rigid transform to weighted point pairs; pairs are added one by one, nothing is stored.
 * Source: B. K. P. Horn (1987), Closed-form solution of absolute orientation using unit quaternions.
 */
export class RigidFit {
  private readonly s = new Float64Array(16);

  reset(): void {
    this.s.fill(0);
  }

  add(px: number, py: number, pz: number, qx: number, qy: number, qz: number, w = 1): void {
    const s = this.s;
    s[0] += w;
    s[1] += w * px;
    s[2] += w * py;
    s[3] += w * pz;
    s[4] += w * qx;
    s[5] += w * qy;
    s[6] += w * qz;
    s[7] += w * px * qx;
    s[8] += w * px * qy;
    s[9] += w * px * qz;
    s[10] += w * py * qx;
    s[11] += w * py * qy;
    s[12] += w * py * qz;
    s[13] += w * pz * qx;
    s[14] += w * pz * qy;
    s[15] += w * pz * qz;
  }

  /** The transform `qFromP` that minimises Σ w |q − T p|²; needs three pairs that are not in line. */
  solve(): Mat4 {
    const s = this.s;
    const w = s[0];
    const cx = s[1] / w;
    const cy = s[2] / w;
    const cz = s[3] / w;
    const dx = s[4] / w;
    const dy = s[5] / w;
    const dz = s[6] / w;
    const xx = s[7] - w * cx * dx;
    const xy = s[8] - w * cx * dy;
    const xz = s[9] - w * cx * dz;
    const yx = s[10] - w * cy * dx;
    const yy = s[11] - w * cy * dy;
    const yz = s[12] - w * cy * dz;
    const zx = s[13] - w * cz * dx;
    const zy = s[14] - w * cz * dy;
    const zz = s[15] - w * cz * dz;
    // prettier-ignore
    const n = [
      xx + yy + zz, yz - zy, zx - xz, xy - yx,
      yz - zy, xx - yy - zz, xy + yx, zx + xz,
      zx - xz, xy + yx, yy - xx - zz, yz + zy,
      xy - yx, zx + xz, yz + zy, zz - xx - yy,
    ];
    const { vectors } = symmetricEigen(n, 4);
    const m = fromQuaternion(vectors[12], vectors[13], vectors[14], vectors[15]);
    m[12] = dx - (m[0] * cx + m[4] * cy + m[8] * cz);
    m[13] = dy - (m[1] * cx + m[5] * cy + m[9] * cz);
    m[14] = dz - (m[2] * cx + m[6] * cy + m[10] * cz);
    return m;
  }
}
