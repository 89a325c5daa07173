/** Rows kept before they are summed: small enough for the nearest cache. */
const BATCH = 64;

/**
 * Normal equations A x = b of six unknowns (turn 0–2, shift 3–5), summed from weighted rows without allocation. Rows
 * are gathered and then summed together, so that the sums stay in registers instead of going through memory row by row.
 */
export class NormalEquations {
  /** Lower half, row by row; complete after `flush`. */
  readonly A = new Float64Array(36);
  readonly b = new Float64Array(6);
  private readonly rows = new Float64Array(8 * BATCH);
  private filled = 0;

  clear(): void {
    this.A.fill(0);
    this.b.fill(0);
    this.filled = 0;
  }

  /** Adds the row j · x = r with weight w. */
  add(j0: number, j1: number, j2: number, j3: number, j4: number, j5: number, r: number, w: number): void {
    const { rows } = this;
    const at = this.filled;
    rows[at] = j0;
    rows[at + 1] = j1;
    rows[at + 2] = j2;
    rows[at + 3] = j3;
    rows[at + 4] = j4;
    rows[at + 5] = j5;
    rows[at + 6] = r;
    rows[at + 7] = w;
    this.filled = at + 8;
    if (this.filled === 8 * BATCH) this.flush();
  }

  /** Sums the rows still waiting. */
  flush(): void {
    this.sumTurn();
    this.sumShift();
    this.filled = 0;
  }

  /** The turn's own block and the right side. */
  private sumTurn(): void {
    const { rows, filled, A, b } = this;
    let [a00, a10, a11, a20, a21, a22] = [0, 0, 0, 0, 0, 0];
    let [b0, b1, b2, b3, b4, b5] = [0, 0, 0, 0, 0, 0];
    for (let i = 0; i < filled; i += 8) {
      const w = rows[i + 7];
      const j0 = rows[i];
      const j1 = rows[i + 1];
      const j2 = rows[i + 2];
      const w0 = w * j0;
      const w1 = w * j1;
      const wr = w * rows[i + 6];
      a00 += w0 * j0;
      a10 += w0 * j1;
      a20 += w0 * j2;
      a11 += w1 * j1;
      a21 += w1 * j2;
      a22 += w * j2 * j2;
      b0 += wr * j0;
      b1 += wr * j1;
      b2 += wr * j2;
      b3 += wr * rows[i + 3];
      b4 += wr * rows[i + 4];
      b5 += wr * rows[i + 5];
    }
    A[0] += a00;
    A[6] += a10;
    A[7] += a11;
    A[12] += a20;
    A[13] += a21;
    A[14] += a22;
    b[0] += b0;
    b[1] += b1;
    b[2] += b2;
    b[3] += b3;
    b[4] += b4;
    b[5] += b5;
  }

  /** The rows of the shift: against the turn, and against itself. */
  private sumShift(): void {
    const { rows, filled, A } = this;
    let [a30, a31, a32, a33] = [0, 0, 0, 0];
    let [a40, a41, a42, a43, a44] = [0, 0, 0, 0, 0];
    let [a50, a51, a52, a53, a54, a55] = [0, 0, 0, 0, 0, 0];
    for (let i = 0; i < filled; i += 8) {
      const w = rows[i + 7];
      const j0 = rows[i];
      const j1 = rows[i + 1];
      const j2 = rows[i + 2];
      const j3 = rows[i + 3];
      const j4 = rows[i + 4];
      const w3 = w * j3;
      const w4 = w * j4;
      const w5 = w * rows[i + 5];
      a30 += w3 * j0;
      a31 += w3 * j1;
      a32 += w3 * j2;
      a33 += w3 * j3;
      a40 += w4 * j0;
      a41 += w4 * j1;
      a42 += w4 * j2;
      a43 += w4 * j3;
      a44 += w4 * j4;
      a50 += w5 * j0;
      a51 += w5 * j1;
      a52 += w5 * j2;
      a53 += w5 * j3;
      a54 += w5 * j4;
      a55 += w5 * rows[i + 5];
    }
    A[18] += a30;
    A[19] += a31;
    A[20] += a32;
    A[21] += a33;
    A[24] += a40;
    A[25] += a41;
    A[26] += a42;
    A[27] += a43;
    A[28] += a44;
    A[30] += a50;
    A[31] += a51;
    A[32] += a52;
    A[33] += a53;
    A[34] += a54;
    A[35] += a55;
  }
}
