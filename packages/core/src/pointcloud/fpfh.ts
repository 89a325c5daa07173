import { pointCount, type PointCloud } from '../geometry/point-cloud.js';
import { PointGrid } from '../spatial/point-grid.js';

/** Numbers in one descriptor: three angle histograms of 11 bins. */
export const FPFH_SIZE = 33;
const BINS = 11;

/**
 * Fast point feature histograms of an oriented cloud: 33 numbers a point, each histogram summing to 100. Takes all neighbours
 * within `radius` (mm): leaving some out would make the descriptor depend on the order of the points, and so on how the cloud
 * is turned. O(n · neighbours).
 *
 * Source: R. Rusu, N. Blodow, M. Beetz (2009), Fast point feature histograms (FPFH) for 3D registration.
 * @param at indices of the points to describe; all if absent
 * @returns 33 numbers for each of these, in their order
 */
export function computeFpfh(cloud: PointCloud, radius: number, at?: Uint32Array): Float32Array {
  if (!cloud.normals) throw new Error('computeFpfh: the cloud has no normals.');
  const n = pointCount(cloud);
  const p = cloud.positions;
  const nm = cloud.normals;
  const grid = new PointGrid(p, radius);
  const near = new Neighbours(grid);
  const simple = new Float32Array(n * FPFH_SIZE);

  for (let i = 0; i < n; i++) {
    const count = near.find(p[3 * i], p[3 * i + 1], p[3 * i + 2], radius);
    const { ids, squared: d2 } = near;
    const base = i * FPFH_SIZE;
    let used = 0;
    for (let k = 0; k < count; k++) {
      const j = ids[k];
      if (j === i || d2[k] === 0) continue;
      const d = Math.sqrt(d2[k]);
      let dx = (p[3 * j] - p[3 * i]) / d;
      let dy = (p[3 * j + 1] - p[3 * i + 1]) / d;
      let dz = (p[3 * j + 2] - p[3 * i + 2]) / d;
      // The Darboux frame stands on the point whose normal is closer to the connecting line.
      let ux = nm[3 * i];
      let uy = nm[3 * i + 1];
      let uz = nm[3 * i + 2];
      let qx = nm[3 * j];
      let qy = nm[3 * j + 1];
      let qz = nm[3 * j + 2];
      if (Math.abs(ux * dx + uy * dy + uz * dz) < Math.abs(qx * dx + qy * dy + qz * dz)) {
        [ux, qx] = [qx, ux];
        [uy, qy] = [qy, uy];
        [uz, qz] = [qz, uz];
        dx = -dx;
        dy = -dy;
        dz = -dz;
      }
      const phi = ux * dx + uy * dy + uz * dz;
      let vx = dy * uz - dz * uy;
      let vy = dz * ux - dx * uz;
      let vz = dx * uy - dy * ux;
      const l = Math.hypot(vx, vy, vz);
      if (l < 1e-9) continue;
      vx /= l;
      vy /= l;
      vz /= l;
      const wx = uy * vz - uz * vy;
      const wy = uz * vx - ux * vz;
      const wz = ux * vy - uy * vx;
      const alpha = vx * qx + vy * qy + vz * qz;
      const theta = Math.atan2(wx * qx + wy * qy + wz * qz, ux * qx + uy * qy + uz * qz);
      simple[base + bin((theta + Math.PI) / (2 * Math.PI))]++;
      simple[base + BINS + bin((alpha + 1) / 2)]++;
      simple[base + 2 * BINS + bin((phi + 1) / 2)]++;
      used++;
    }
    if (used > 0) for (let b = 0; b < FPFH_SIZE; b++) simple[base + b] *= 100 / used;
  }

  const described = at ? at.length : n;
  const out = new Float32Array(described * FPFH_SIZE);
  for (let o = 0; o < described; o++) {
    const i = at ? at[o] : o;
    const base = o * FPFH_SIZE;
    const count = near.find(p[3 * i], p[3 * i + 1], p[3 * i + 2], radius);
    for (let k = 0; k < count; k++) {
      const j = near.ids[k];
      const d2 = near.squared[k];
      if (j === i || d2 === 0) continue;
      const w = 1 / d2;
      for (let b = 0; b < FPFH_SIZE; b++) out[base + b] += w * simple[j * FPFH_SIZE + b];
    }
    for (let h = 0; h < 3; h++) {
      let sum = 0;
      for (let b = 0; b < BINS; b++) sum += out[base + h * BINS + b];
      const s = sum > 0 ? 100 / sum : 0;
      // The point's own histogram counts as much as its neighbours' together.
      for (let b = 0; b < BINS; b++) {
        const to = base + h * BINS + b;
        out[to] = 0.5 * (out[to] * s + simple[i * FPFH_SIZE + h * BINS + b]);
      }
    }
  }
  return out;
}

/** All neighbours of a point, in room that grows with need. */
class Neighbours {
  ids = new Uint32Array(256);
  squared = new Float32Array(256);

  constructor(private readonly grid: PointGrid) {}

  /** @returns how many there are */
  find(x: number, y: number, z: number, radius: number): number {
    for (;;) {
      const count = this.grid.within(x, y, z, radius, this.ids, this.squared);
      if (count < this.ids.length) return count;
      this.ids = new Uint32Array(2 * count);
      this.squared = new Float32Array(2 * count);
    }
  }
}

function bin(unit: number): number {
  return Math.min(BINS - 1, Math.max(0, Math.floor(unit * BINS)));
}
