/**
 * Solves A x = b in place for a symmetric positive definite A (n×n, row-major; only read in its lower half) by
 * Cholesky factorisation; `b` becomes x and A is overwritten. O(n³).
 * @returns false if A is not positive definite (b is then undefined)
 */
export function solveCholeskyInPlace(a: Float64Array, b: Float64Array, n: number): boolean {
  if (!choleskyInPlace(a, n)) return false;
  solveWithCholesky(a, b, n);
  return true;
}

/**
 * Cholesky factor of a symmetric positive definite matrix (n×n, row-major) in the lower half of its own place. O(n³).
 * @returns false if it is not positive definite
 */
export function choleskyInPlace(a: Float64Array, n: number): boolean {
  for (let j = 0; j < n; j++) {
    let d = a[j * n + j];
    for (let k = 0; k < j; k++) d -= a[j * n + k] * a[j * n + k];
    if (!(d > 0)) return false;
    const root = Math.sqrt(d);
    a[j * n + j] = root;
    for (let i = j + 1; i < n; i++) {
      let s = a[i * n + j];
      const ri = i * n;
      const rj = j * n;
      for (let k = 0; k < j; k++) s -= a[ri + k] * a[rj + k];
      a[ri + j] = s / root;
    }
  }
  return true;
}

/** Solves for one right-hand side in place with a factor of `choleskyInPlace`. O(n²). */
export function solveWithCholesky(a: Float64Array, b: Float64Array, n: number): void {
  for (let i = 0; i < n; i++) {
    let s = b[i];
    for (let k = 0; k < i; k++) s -= a[i * n + k] * b[k];
    b[i] = s / a[i * n + i];
  }
  for (let i = n - 1; i >= 0; i--) {
    let s = b[i];
    for (let k = i + 1; k < n; k++) s -= a[k * n + i] * b[k];
    b[i] = s / a[i * n + i];
  }
}

/** `y = A x` for a symmetric operator. */
export type LinearOperator = (x: Float64Array, y: Float64Array) => void;

/**
 * Conjugate gradients with a diagonal preconditioner for a symmetric positive definite operator; `x` holds the
 * starting value and becomes the solution.
 * Source: M. Hestenes, E. Stiefel (1952), Methods of conjugate gradients for solving linear systems.
 * @returns the iterations used (equal to `maxIterations` if the tolerance was not reached)
 */
export function conjugateGradient(
  apply: LinearOperator,
  diagonal: Float64Array,
  b: Float64Array,
  x: Float64Array,
  maxIterations: number,
  tolerance = 1e-8,
): number {
  const n = b.length;
  const r = new Float64Array(n);
  const z = new Float64Array(n);
  const p = new Float64Array(n);
  const q = new Float64Array(n);
  apply(x, r);
  let bb = 0;
  for (let i = 0; i < n; i++) {
    r[i] = b[i] - r[i];
    bb += b[i] * b[i];
  }
  const stop = tolerance * tolerance * Math.max(bb, 1e-300);
  let rz = 0;
  for (let k = 0; k < maxIterations; k++) {
    let rr = 0;
    let rzNew = 0;
    for (let i = 0; i < n; i++) {
      z[i] = r[i] / diagonal[i];
      rr += r[i] * r[i];
      rzNew += r[i] * z[i];
    }
    if (rr <= stop) return k;
    const beta = k === 0 ? 0 : rzNew / rz;
    for (let i = 0; i < n; i++) p[i] = z[i] + beta * p[i];
    apply(p, q);
    let pq = 0;
    for (let i = 0; i < n; i++) pq += p[i] * q[i];
    if (!(pq > 0)) return k;
    const alpha = rzNew / pq;
    for (let i = 0; i < n; i++) {
      x[i] += alpha * p[i];
      r[i] -= alpha * q[i];
    }
    rz = rzNew;
  }
  return maxIterations;
}
