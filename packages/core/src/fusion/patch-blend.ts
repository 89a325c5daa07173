import {
  BEYOND,
  BLENDING,
  distanceToPatch,
  isBeyondEdge,
  PATCH,
  SIGMA,
  type SurfacePatches,
} from './surface-patches.js';

const MOST = 256;
/** Least cosine between a patch and the surface to which it adds; beside edges more, or the far side would pull. */
const FACING = 0.3;
const FACING_AT_EDGES = 0.8;

/** Reads the blend of all patches around a place. */
export class PatchBlend {
  /** Distance to the blended surface along `n`, mm. */
  distance = 0;
  nx = 0;
  ny = 0;
  nz = 0;
  /** Expected error, one standard deviation, mm. */
  sigma = 0;
  /** The patch that counts most. */
  main = -1;
  private readonly ids = new Uint32Array(MOST);

  private readonly reach: number;
  private readonly facing: number;

  constructor(private readonly patches: SurfacePatches) {
    this.reach = BLENDING * patches.cell;
    this.facing = patches.partners ? FACING_AT_EDGES : FACING;
  }

  /**
   * Takes as normal that of the patch that lies next to a place, of those that face half like (nx, ny, nz).
   * @returns false if there is none
   */
  face(x: number, y: number, z: number, nx: number, ny: number, nz: number): boolean {
    const { data, grid } = this.patches;
    const found = grid.within(x, y, z, this.reach, this.ids);
    let best = Infinity;
    for (let k = 0; k < found; k++) {
      const o = PATCH * this.ids[k];
      if (data[o + 3] * nx + data[o + 4] * ny + data[o + 5] * nz < FACING) continue;
      const d = distanceToPatch(data, this.ids[k], x, y, z);
      if (isBeyondEdge(this.patches, this.ids[k], d, x, y, z)) continue;
      const dx = x - data[o];
      const dy = y - data[o + 1];
      const dz = z - data[o + 2];
      // Of patches that pass through the place, the nearest.
      const far = d * d + 0.01 * (dx * dx + dy * dy + dz * dz);
      if (far >= best) continue;
      best = far;
      this.nx = data[o + 3];
      this.ny = data[o + 4];
      this.nz = data[o + 5];
    }
    return best < Infinity;
  }

  /**
   * At (x, y, z), of the patches that face like (nx, ny, nz).
   * @returns false if there is none
   */
  at(x: number, y: number, z: number, nx: number, ny: number, nz: number): boolean {
    const { data, grid } = this.patches;
    const found = grid.within(x, y, z, this.reach, this.ids);
    const r2 = this.reach * this.reach;
    let sum = 0;
    let mx = 0;
    let my = 0;
    let mz = 0;
    let gx = 0;
    let gy = 0;
    let gz = 0;
    let sigma = 0;
    let most = 0;
    this.main = -1;
    for (let k = 0; k < found; k++) {
      const o = PATCH * this.ids[k];
      const dx = x - data[o];
      const dy = y - data[o + 1];
      const dz = z - data[o + 2];
      const d2 = dx * dx + dy * dy + dz * dz;
      const facing = data[o + 3] * nx + data[o + 4] * ny + data[o + 5] * nz;
      if (facing < this.facing) continue;
      const s = dx * data[o + 6] + dy * data[o + 7] + dz * data[o + 8];
      const t = dx * data[o + 9] + dy * data[o + 10] + dz * data[o + 11];
      const h = dx * data[o + 3] + dy * data[o + 4] + dz * data[o + 5];
      const slopeS = data[o + 13] + 2 * data[o + 15] * s + data[o + 16] * t;
      const slopeT = data[o + 14] + data[o + 16] * s + 2 * data[o + 17] * t;
      const l = 1 / Math.sqrt(1 + slopeS * slopeS + slopeT * slopeT);
      const off =
        (h -
          (data[o + 12] +
            data[o + 13] * s +
            data[o + 14] * t +
            data[o + 15] * s * s +
            data[o + 16] * s * t +
            data[o + 17] * t * t)) *
        l;
      const beyond = isBeyondEdge(this.patches, this.ids[k], off, x, y, z);
      const g = 1 - d2 / r2;
      const e = data[o + SIGMA];
      const w = (g * g * facing * facing * (beyond ? BEYOND : 1)) / (e * e + 1e-12);
      // Normal of the patch here, not at its centre.
      const px = (data[o + 3] - slopeS * data[o + 6] - slopeT * data[o + 9]) * l;
      const py = (data[o + 4] - slopeS * data[o + 7] - slopeT * data[o + 10]) * l;
      const pz = (data[o + 5] - slopeS * data[o + 8] - slopeT * data[o + 11]) * l;
      sum += w;
      mx += w * off * px;
      my += w * off * py;
      mz += w * off * pz;
      gx += w * px;
      gy += w * py;
      gz += w * pz;
      sigma += w * e;
      if (w > most) {
        most = w;
        this.main = this.ids[k];
      }
    }
    if (!(sum > 0)) return false;
    const l = Math.sqrt(gx * gx + gy * gy + gz * gz);
    if (!(l > 0)) return false;
    this.nx = gx / l;
    this.ny = gy / l;
    this.nz = gz / l;
    // The mean way to the patches, along the blended normal: sideways parts would shift vertices for nothing.
    this.distance = (mx * this.nx + my * this.ny + mz * this.nz) / sum;
    this.sigma = sigma / sum;
    return true;
  }
}
