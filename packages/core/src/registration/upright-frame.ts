import type { Scan } from '../geometry/scan.js';
import { smallestEigenvector3 } from '../math/eigen.js';
import { cross3, dot3, identity, normalize3, type Mat4, type Vec3 } from '../math/mat4.js';

/**
 * The piece's frame seen from its reference scan: if the scan knows its support, Z points up from it, the support lies at
 * z = 0 and the scan's middle over the origin; otherwise the scan's own frame. O(points).
 * @returns pieceFromReference
 */
export function uprightFrame(reference: Scan): Mat4 {
  const q = reference.backdrop;
  if (!q || q.length < 300) return identity();
  const n = q.length / 3;
  const mean: Vec3 = [0, 0, 0];
  for (let i = 0; i < q.length; i++) mean[i % 3] += q[i] / n;
  const c = new Float64Array(6);
  for (let i = 0; i < q.length; i += 3) {
    const x = q[i] - mean[0];
    const y = q[i + 1] - mean[1];
    const z = q[i + 2] - mean[2];
    c[0] += x * x;
    c[1] += x * y;
    c[2] += x * z;
    c[3] += y * y;
    c[4] += y * z;
    c[5] += z * z;
  }
  const out = new Float64Array(3);
  smallestEigenvector3(c[0], c[1], c[2], c[3], c[4], c[5], out);
  const middle: Vec3 = [0, 0, 0];
  const p = reference.cloud.positions;
  for (let i = 0; i < p.length; i++) middle[i % 3] += (3 * p[i]) / p.length;
  let up: Vec3 = [out[0], out[1], out[2]];
  if (dot3(up, middle) < dot3(up, mean)) up = [-up[0], -up[1], -up[2]];
  const right = normalize3(cross3(Math.abs(up[0]) > 0.9 ? [0, 1, 0] : cross3(up, [1, 0, 0]), up));
  const forward = cross3(up, right);
  const m = identity();
  // Rows are the piece's axes in the scan's coordinates.
  [right, forward, up].forEach((axis, row) => {
    for (let k = 0; k < 3; k++) m[4 * k + row] = axis[k];
    m[12 + row] = -dot3(axis, row === 2 ? mean : middle);
  });
  return m;
}
