/**
 * Eigenvector of the smallest eigenvalue of a symmetric 3×3 matrix, written to `out`[0..2].
 * Closed form for the eigenvalues (O. K. Smith, 1961, Eigenvalues of a symmetric 3×3 matrix), the vector as the
 * longest cross product of two rows of A − λI. Allocates nothing.
 * @returns the smallest eigenvalue divided by the trace ("surface variation", 0 = flat, 1/3 = isotropic)
 */
export function smallestEigenvector3(
  xx: number,
  xy: number,
  xz: number,
  yy: number,
  yz: number,
  zz: number,
  out: Float64Array,
): number {
  const trace = xx + yy + zz;
  if (!(trace > 0)) {
    out[0] = out[1] = 0;
    out[2] = 1;
    return 1 / 3;
  }
  const q = trace / 3;
  const a = xx - q;
  const b = yy - q;
  const c = zz - q;
  const p2 = (a * a + b * b + c * c + 2 * (xy * xy + xz * xz + yz * yz)) / 6;
  const p = Math.sqrt(p2);
  if (p < 1e-12 * trace) {
    out[0] = out[1] = 0;
    out[2] = 1;
    return 1 / 3;
  }
  const halfDet = (a * (b * c - yz * yz) - xy * (xy * c - yz * xz) + xz * (xy * yz - b * xz)) / (2 * p2 * p);
  const phi = Math.acos(Math.max(-1, Math.min(1, halfDet))) / 3;
  const smallest = q + 2 * p * Math.cos(phi + (2 * Math.PI) / 3);
  const r0 = xx - smallest;
  const r1 = yy - smallest;
  const r2 = zz - smallest;
  let x = xy * yz - xz * r1;
  let y = xz * xy - r0 * yz;
  let z = r0 * r1 - xy * xy;
  let best = x * x + y * y + z * z;
  const x2 = xy * r2 - xz * yz;
  const y2 = xz * xz - r0 * r2;
  const z2 = r0 * yz - xy * xz;
  const l2 = x2 * x2 + y2 * y2 + z2 * z2;
  if (l2 > best) {
    x = x2;
    y = y2;
    z = z2;
    best = l2;
  }
  const x3 = r1 * r2 - yz * yz;
  const y3 = yz * xz - xy * r2;
  const z3 = xy * yz - r1 * xz;
  const l3 = x3 * x3 + y3 * y3 + z3 * z3;
  if (l3 > best) {
    x = x3;
    y = y3;
    z = z3;
    best = l3;
  }
  if (best === 0) {
    out[0] = out[1] = 0;
    out[2] = 1;
  } else {
    const s = 1 / Math.sqrt(best);
    out[0] = x * s;
    out[1] = y * s;
    out[2] = z * s;
  }
  return Math.max(0, smallest) / trace;
}

/**
 * All eigenvalues (ascending) and unit eigenvectors (columns of `vectors`, n×n column-major) of a symmetric matrix
 * given row by row, by cyclic Jacobi rotations. For small matrices (n ≤ 6); O(n³) a sweep.
 * Source: G. Golub, C. Van Loan (2013), Matrix Computations, 8.5.
 */
export function symmetricEigen(matrix: ArrayLike<number>, n: number): { values: Float64Array; vectors: Float64Array } {
  const a = Float64Array.from(matrix);
  const v = new Float64Array(n * n);
  for (let i = 0; i < n; i++) v[i * n + i] = 1;
  for (let sweep = 0; sweep < 60; sweep++) {
    let off = 0;
    let diag = 0;
    for (let i = 0; i < n; i++) {
      diag += a[i * n + i] * a[i * n + i];
      for (let j = i + 1; j < n; j++) off += a[i * n + j] * a[i * n + j];
    }
    if (off <= 1e-30 * diag || off === 0) break;
    for (let p = 0; p < n; p++) {
      for (let q = p + 1; q < n; q++) {
        const apq = a[p * n + q];
        if (apq === 0) continue;
        const theta = (a[q * n + q] - a[p * n + p]) / (2 * apq);
        const t = (theta >= 0 ? 1 : -1) / (Math.abs(theta) + Math.sqrt(theta * theta + 1));
        const c = 1 / Math.sqrt(t * t + 1);
        const s = t * c;
        for (let k = 0; k < n; k++) {
          const kp = a[k * n + p];
          const kq = a[k * n + q];
          a[k * n + p] = c * kp - s * kq;
          a[k * n + q] = s * kp + c * kq;
        }
        for (let k = 0; k < n; k++) {
          const pk = a[p * n + k];
          const qk = a[q * n + k];
          a[p * n + k] = c * pk - s * qk;
          a[q * n + k] = s * pk + c * qk;
        }
        for (let k = 0; k < n; k++) {
          const vp = v[p * n + k];
          const vq = v[q * n + k];
          v[p * n + k] = c * vp - s * vq;
          v[q * n + k] = s * vp + c * vq;
        }
      }
    }
  }
  const order = Array.from({ length: n }, (_, i) => i).sort((i, j) => a[i * n + i] - a[j * n + j]);
  const values = new Float64Array(n);
  const vectors = new Float64Array(n * n);
  order.forEach((from, to) => {
    values[to] = a[from * n + from];
    for (let k = 0; k < n; k++) vectors[to * n + k] = v[from * n + k];
  });
  return { values, vectors };
}
