/** Where two triangles come nearest, and how near: filled by `triangleGap`. */
export interface TriangleGap {
  squared: number;
  /** On the first triangle and on the second, 3 each. */
  on: Float64Array;
  off: Float64Array;
}

export const emptyGap = (): TriangleGap => ({
  squared: Infinity,
  on: new Float64Array(3),
  off: new Float64Array(3),
});

/** Cosines of this near 1 are of parallel edges. */
const PARALLEL = 1e-12;

/**
 * The shortest way between two triangles, given as nine numbers each; none where they meet. Written to `out` if it is shorter
 * than what stands there.
 *
 * Two triangles that do not meet are nearest at an edge of each, or at a corner of one. Source: C. Ericson (2005), Real-Time
 * Collision Detection, 5.1.5 (point and triangle), 5.1.9 (two segments), 5.3.4 (segment and triangle).
 * @returns whether it was shorter
 */
export function triangleGap(p: Float64Array, q: Float64Array, out: TriangleGap): boolean {
  const before = out.squared;
  for (let i = 0; i < 9; i += 3) {
    const pNext = i === 6 ? 0 : i + 3;
    for (let j = 0; j < 9; j += 3) segments(p, i, pNext, q, j, j === 6 ? 0 : j + 3, out);
    cornerAndTriangle(p, i, q, out, false);
    cornerAndTriangle(q, i, p, out, true);
  }
  if (out.squared > 0 && (piercing(p, q, out) || piercing(q, p, out))) out.squared = 0;
  return out.squared < before;
}

/** The two segments a–b and c–d. */
function segments(
  p: Float64Array,
  a: number,
  b: number,
  q: Float64Array,
  c: number,
  d: number,
  out: TriangleGap,
): void {
  const [ux, uy, uz] = [p[b] - p[a], p[b + 1] - p[a + 1], p[b + 2] - p[a + 2]];
  const [vx, vy, vz] = [q[d] - q[c], q[d + 1] - q[c + 1], q[d + 2] - q[c + 2]];
  const [rx, ry, rz] = [p[a] - q[c], p[a + 1] - q[c + 1], p[a + 2] - q[c + 2]];
  const uu = ux * ux + uy * uy + uz * uz;
  const vv = vx * vx + vy * vy + vz * vz;
  const vr = vx * rx + vy * ry + vz * rz;
  const ur = ux * rx + uy * ry + uz * rz;
  const uv = ux * vx + uy * vy + uz * vz;
  const det = uu * vv - uv * uv;
  let s = det > PARALLEL * uu * vv ? clamp01((uv * vr - ur * vv) / det) : 0;
  let t = vv > 0 ? (uv * s + vr) / vv : 0;
  if (t < 0) {
    t = 0;
    s = uu > 0 ? clamp01(-ur / uu) : 0;
  } else if (t > 1) {
    t = 1;
    s = uu > 0 ? clamp01((uv - ur) / uu) : 0;
  }
  const x = rx + s * ux - t * vx;
  const y = ry + s * uy - t * vy;
  const z = rz + s * uz - t * vz;
  const squared = x * x + y * y + z * z;
  if (squared >= out.squared) return;
  out.squared = squared;
  out.on[0] = p[a] + s * ux;
  out.on[1] = p[a + 1] + s * uy;
  out.on[2] = p[a + 2] + s * uz;
  out.off[0] = q[c] + t * vx;
  out.off[1] = q[c + 1] + t * vy;
  out.off[2] = q[c + 2] + t * vz;
}

/** A corner over the inside of a triangle: over its edges the segments have been. */
function cornerAndTriangle(p: Float64Array, i: number, t: Float64Array, out: TriangleGap, turned: boolean): void {
  const [ax, ay, az] = [t[3] - t[0], t[4] - t[1], t[5] - t[2]];
  const [bx, by, bz] = [t[6] - t[0], t[7] - t[1], t[8] - t[2]];
  const nx = ay * bz - az * by;
  const ny = az * bx - ax * bz;
  const nz = ax * by - ay * bx;
  const nn = nx * nx + ny * ny + nz * nz;
  if (nn === 0) return;
  const [x, y, z] = [p[i] - t[0], p[i + 1] - t[1], p[i + 2] - t[2]];
  const h = (x * nx + y * ny + z * nz) / nn;
  if (h * h * nn >= out.squared) return;
  // Shares of the second and third corner at the foot.
  const v = ((y * bz - z * by) * nx + (z * bx - x * bz) * ny + (x * by - y * bx) * nz) / nn;
  const w = ((ay * z - az * y) * nx + (az * x - ax * z) * ny + (ax * y - ay * x) * nz) / nn;
  if (v < 0 || w < 0 || v + w > 1) return;
  out.squared = h * h * nn;
  const [corner, foot] = turned ? [out.off, out.on] : [out.on, out.off];
  corner[0] = p[i];
  corner[1] = p[i + 1];
  corner[2] = p[i + 2];
  foot[0] = p[i] - h * nx;
  foot[1] = p[i + 1] - h * ny;
  foot[2] = p[i + 2] - h * nz;
}

/** Whether an edge of the first goes through the second; where, is written to `out`. */
function piercing(p: Float64Array, t: Float64Array, out: TriangleGap): boolean {
  const [ax, ay, az] = [t[3] - t[0], t[4] - t[1], t[5] - t[2]];
  const [bx, by, bz] = [t[6] - t[0], t[7] - t[1], t[8] - t[2]];
  const nx = ay * bz - az * by;
  const ny = az * bx - ax * bz;
  const nz = ax * by - ay * bx;
  const nn = nx * nx + ny * ny + nz * nz;
  if (nn === 0) return false;
  for (let i = 0; i < 9; i += 3) {
    const j = i === 6 ? 0 : i + 3;
    const from = (p[i] - t[0]) * nx + (p[i + 1] - t[1]) * ny + (p[i + 2] - t[2]) * nz;
    const to = (p[j] - t[0]) * nx + (p[j + 1] - t[1]) * ny + (p[j + 2] - t[2]) * nz;
    if (from * to > 0 || from === to) continue;
    const s = from / (from - to);
    const x = p[i] + s * (p[j] - p[i]);
    const y = p[i + 1] + s * (p[j + 1] - p[i + 1]);
    const z = p[i + 2] + s * (p[j + 2] - p[i + 2]);
    const [dx, dy, dz] = [x - t[0], y - t[1], z - t[2]];
    const v = ((dy * bz - dz * by) * nx + (dz * bx - dx * bz) * ny + (dx * by - dy * bx) * nz) / nn;
    const w = ((ay * dz - az * dy) * nx + (az * dx - ax * dz) * ny + (ax * dy - ay * dx) * nz) / nn;
    if (v < 0 || w < 0 || v + w > 1) continue;
    out.on[0] = out.off[0] = x;
    out.on[1] = out.off[1] = y;
    out.on[2] = out.off[2] = z;
    return true;
  }
  return false;
}

const clamp01 = (x: number): number => (x < 0 ? 0 : x > 1 ? 1 : x);
