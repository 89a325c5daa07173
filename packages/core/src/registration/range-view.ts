import type { Scan } from '../geometry/scan.js';
import { lookAt, invertRigid, type Mat4, type Vec3 } from '../math/mat4.js';

/**
 * What a sensor saw from one place, as a coarse picture of distances: tells whether a point lies on the measured
 * surface, behind it (hidden) or in front of it (the sensor looked through that place, so nothing can be there).
 */
export interface RangeView {
  sensorFromScan: Mat4;
  size: number;
  /** Pixels per unit of x/z. */
  focal: number;
  /** Nearest distance along Z in each pixel and its eight neighbours; 0 = nothing measured there. */
  nearest: Float32Array;
}

const SIZE = 96;
const MAX_VIEWS = 4;

/** One view for each place the sensor stood (at most four, evenly chosen); empty if no place is known. */
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
  const up: Vec3 = Math.abs(centre[1] - eye[1]) > 0.9 * Math.hypot(centre[0] - eye[0], centre[1] - eye[1], centre[2] - eye[2]) ? [1, 0, 0] : [0, 1, 0];
  const sensorFromScan = invertRigid(lookAt(eye, centre, up));
  const m = sensorFromScan;
  const sources = scan.backdrop ? [p, scan.backdrop] : [p];
  let widest = 0.05;
  for (let i = 0; i < p.length; i += 3) {
    const z = m[2] * p[i] + m[6] * p[i + 1] + m[10] * p[i + 2] + m[14];
    if (z <= 0) continue;
    const x = m[0] * p[i] + m[4] * p[i + 1] + m[8] * p[i + 2] + m[12];
    const y = m[1] * p[i] + m[5] * p[i + 1] + m[9] * p[i + 2] + m[13];
    widest = Math.max(widest, Math.abs(x / z), Math.abs(y / z));
  }
  widest = Math.min(2, widest * (scan.backdrop ? 1.15 : 1.02));
  const focal = (SIZE / 2 - 1) / widest;
  const raw = new Float32Array(SIZE * SIZE);
  for (const q of sources) {
    for (let i = 0; i < q.length; i += 3) {
      const z = m[2] * q[i] + m[6] * q[i + 1] + m[10] * q[i + 2] + m[14];
      if (z <= 0) continue;
      const u = Math.round(SIZE / 2 + (focal * (m[0] * q[i] + m[4] * q[i + 1] + m[8] * q[i + 2] + m[12])) / z);
      const v = Math.round(SIZE / 2 + (focal * (m[1] * q[i] + m[5] * q[i + 1] + m[9] * q[i + 2] + m[13])) / z);
      if (u < 0 || v < 0 || u >= SIZE || v >= SIZE) continue;
      const at = v * SIZE + u;
      if (raw[at] === 0 || z < raw[at]) raw[at] = z;
    }
  }
  const nearest = new Float32Array(SIZE * SIZE);
  for (let v = 0; v < SIZE; v++) {
    for (let u = 0; u < SIZE; u++) {
      if (raw[v * SIZE + u] === 0) continue;
      let low = Infinity;
      for (let b = Math.max(0, v - 1); b <= Math.min(SIZE - 1, v + 1); b++) {
        for (let a = Math.max(0, u - 1); a <= Math.min(SIZE - 1, u + 1); a++) {
          const z = raw[b * SIZE + a];
          if (z > 0 && z < low) low = z;
        }
      }
      nearest[v * SIZE + u] = low;
    }
  }
  return { sensorFromScan, size: SIZE, focal, nearest };
}

/**
 * Counts the points (another scan's, moved by `scanFromOther`) that this view says can't be where they are: more
 * than `margin` mm in front of what was measured. Also counts those it can judge at all.
 */
export function countSeenThrough(
  view: RangeView,
  scanFromOther: Mat4,
  points: Float32Array,
  margin: number,
  step = 1,
): { through: number; judged: number } {
  const { size, focal, nearest } = view;
  const a = view.sensorFromScan;
  const b = scanFromOther;
  const m = new Float64Array(16);
  for (let c = 0; c < 4; c++) {
    for (let r = 0; r < 4; r++) {
      m[c * 4 + r] = a[r] * b[c * 4] + a[4 + r] * b[c * 4 + 1] + a[8 + r] * b[c * 4 + 2] + a[12 + r] * b[c * 4 + 3];
    }
  }
  let through = 0;
  let judged = 0;
  for (let i = 0; i < points.length; i += 3 * step) {
    const x = points[i];
    const y = points[i + 1];
    const zz = points[i + 2];
    const z = m[2] * x + m[6] * y + m[10] * zz + m[14];
    if (z <= 0) continue;
    const u = Math.round(size / 2 + (focal * (m[0] * x + m[4] * y + m[8] * zz + m[12])) / z);
    const v = Math.round(size / 2 + (focal * (m[1] * x + m[5] * y + m[9] * zz + m[13])) / z);
    if (u < 0 || v < 0 || u >= size || v >= size) continue;
    const near = nearest[v * size + u];
    if (near === 0) continue;
    judged++;
    if (z < near - margin) through++;
  }
  return { through, judged };
}
