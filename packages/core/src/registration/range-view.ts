import type { Scan } from '../geometry/scan.js';
import { lookAt, invertRigid, type Mat4, type Vec3 } from '../math/mat4.js';

/**
 * What a sensor saw from one place, as a coarse picture of distances: tells whether a point lies on the measured
 * surface, behind it (hidden), in front of it (the sensor looked through that place, so nothing can be there), or where
 * the sensor measured nothing although it should have.
 */
export interface RangeView {
  sensorFromScan: Mat4;
  size: number;
  /** Pixels per unit of x/z. */
  focal: number;
  /** Nearest distance along Z in each pixel and its eight neighbours; 0 = nothing measured there or beside it, -1 = doubtful. */
  nearest: Float32Array;
}

const MAX_VIEWS = 3;

/** One view for each place the sensor stood (at most three, evenly chosen); empty if no place is known. */
export function buildRangeViews(scan: Scan, viewpoints: Vec3[]): RangeView[] {
  const chosen: Vec3[] = [];
  const count = Math.min(MAX_VIEWS, viewpoints.length);
  for (let i = 0; i < count; i++) chosen.push(viewpoints[Math.floor(((i + 0.5) * viewpoints.length) / count)]);
  // With several sensor places the joined cloud may hold points that one place could not see; the nearest wins there,
  // which only makes the test more careful.
  return chosen.map((eye) => buildView(scan, eye));
}

function buildView(scan: Scan, eye: Vec3): RangeView {
  const p = scan.cloud.positions;
  const n = p.length / 3;
  const centre: Vec3 = [0, 0, 0];
  for (let i = 0; i < p.length; i++) centre[i % 3] += p[i] / n;
  const steep =
    Math.abs(centre[1] - eye[1]) > 0.9 * Math.hypot(centre[0] - eye[0], centre[1] - eye[1], centre[2] - eye[2]);
  const sensorFromScan = invertRigid(lookAt(eye, centre, steep ? [1, 0, 0] : [0, 1, 0]));
  const m = sensorFromScan;
  let widest = 0.05;
  for (let i = 0; i < p.length; i += 3) {
    const z = m[2] * p[i] + m[6] * p[i + 1] + m[10] * p[i + 2] + m[14];
    if (z <= 0) continue;
    const x = m[0] * p[i] + m[4] * p[i + 1] + m[8] * p[i + 2] + m[12];
    const y = m[1] * p[i] + m[5] * p[i + 1] + m[9] * p[i + 2] + m[13];
    widest = Math.max(widest, Math.abs(x / z), Math.abs(y / z));
  }
  widest = Math.min(2, widest * (scan.backdrop ? 1.15 : 1.02));
  // About six points a pixel where the scan covers four tenths of the picture.
  const size = Math.max(40, Math.min(200, Math.round(Math.sqrt(n / 0.4 / 3))));
  const focal = (size / 2 - 1) / widest;
  const raw = new Float32Array(size * size);
  for (const q of scan.backdrop ? [p, scan.backdrop] : [p]) {
    for (let i = 0; i < q.length; i += 3) {
      const z = m[2] * q[i] + m[6] * q[i + 1] + m[10] * q[i + 2] + m[14];
      if (z <= 0) continue;
      const u = Math.round(size / 2 + (focal * (m[0] * q[i] + m[4] * q[i + 1] + m[8] * q[i + 2] + m[12])) / z);
      const v = Math.round(size / 2 + (focal * (m[1] * q[i] + m[5] * q[i + 1] + m[9] * q[i + 2] + m[13])) / z);
      if (u < 0 || v < 0 || u >= size || v >= size) continue;
      const at = v * size + u;
      if (raw[at] === 0 || z < raw[at]) raw[at] = z;
    }
  }
  const nearest = new Float32Array(size * size).fill(-1);
  for (let v = 1; v < size - 1; v++) {
    for (let u = 1; u < size - 1; u++) {
      let low = Infinity;
      let measured = 0;
      for (let b = v - 1; b <= v + 1; b++) {
        for (let a = u - 1; a <= u + 1; a++) {
          const z = raw[b * size + a];
          if (z > 0) {
            measured++;
            if (z < low) low = z;
          }
        }
      }
      const at = v * size + u;
      if (raw[at] > 0 || measured >= 5) nearest[at] = low;
      else if (measured === 0) nearest[at] = 0;
    }
  }
  return { sensorFromScan, size, focal, nearest };
}
