/** Adds one weighted row (turn j0–j2, shift j3–j5) to normal equations of six unknowns, lower half; no allocation. */
export function addRow(
  A: Float64Array,
  b: Float64Array,
  j0: number,
  j1: number,
  j2: number,
  j3: number,
  j4: number,
  j5: number,
  r: number,
  w: number,
): void {
  const wr = w * r;
  b[0] += wr * j0;
  b[1] += wr * j1;
  b[2] += wr * j2;
  b[3] += wr * j3;
  b[4] += wr * j4;
  b[5] += wr * j5;
  const w0 = w * j0;
  const w1 = w * j1;
  const w2 = w * j2;
  const w3 = w * j3;
  const w4 = w * j4;
  A[0] += w0 * j0;
  A[6] += w1 * j0;
  A[7] += w1 * j1;
  A[12] += w2 * j0;
  A[13] += w2 * j1;
  A[14] += w2 * j2;
  A[18] += w0 * j3;
  A[19] += w1 * j3;
  A[20] += w2 * j3;
  A[21] += w3 * j3;
  A[24] += w0 * j4;
  A[25] += w1 * j4;
  A[26] += w2 * j4;
  A[27] += w3 * j4;
  A[28] += w4 * j4;
  A[30] += w0 * j5;
  A[31] += w1 * j5;
  A[32] += w2 * j5;
  A[33] += w3 * j5;
  A[34] += w4 * j5;
  A[35] += w * j5 * j5;
}
