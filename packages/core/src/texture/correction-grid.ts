import type { FrameView } from './frame-views.js';

/** Cells in a picture's width. */
const CELLS = 16;
/** A cell is held back as if so many vertices said that nothing is to be corrected, or a share of what it usually has. */
const ENOUGH = 6;
const HELD = 0.3;

/** A smooth correction over a view's picture: factors (three channels) at the corners of a coarse grid, learnt as logarithms. */
export class CorrectionGrid {
  private readonly columns = CELLS + 2;
  private readonly rows: number;
  private readonly cell: number;
  private readonly values: Float32Array;
  /** The values as factors; `flat` as long as all are 1. */
  private readonly factors: Float32Array;
  private flat = true;
  private readonly sums: Float64Array;
  private readonly weights: Float64Array;
  /** Column, row and shares of the place last looked for. */
  private readonly at = new Float64Array(4);

  constructor(private readonly view: FrameView) {
    this.cell = view.camera.width / CELLS;
    this.rows = Math.ceil(view.camera.height / this.cell) + 2;
    this.weights = new Float64Array(this.columns * this.rows);
    this.sums = new Float64Array(3 * this.weights.length);
    this.values = new Float32Array(this.sums.length);
    this.factors = new Float32Array(this.sums.length);
  }

  /** What was learnt, to make the same grid of the same view elsewhere by `restore`; undefined if nothing was. */
  learnt(): Float32Array | undefined {
    return this.flat ? undefined : this.factors;
  }

  restore(learnt: Float32Array | undefined): this {
    this.flat = !learnt;
    if (learnt) this.factors.set(learnt);
    return this;
  }

  /** Multiplies factors (three channels) by the correction at a place of the piece. */
  apply(x: number, y: number, z: number, factors: Float64Array, to = 0): void {
    if (this.flat || !this.find(x, y, z)) return;
    const { factors: own, columns, at } = this;
    const a = at[2];
    const b = at[3];
    const left = 3 * (at[1] * columns + at[0]);
    const below = left + 3 * columns;
    for (let k = 0; k < 3; k++) {
      factors[to + k] *=
        (own[left + k] * (1 - a) + own[left + 3 + k] * a) * (1 - b) +
        (own[below + k] * (1 - a) + own[below + 3 + k] * a) * b;
    }
  }

  /** Notes that what this view shows at a place of the piece (three channels) should be another. */
  note(x: number, y: number, z: number, shown: Float64Array, wanted: Float32Array, v: number, weight: number): void {
    if (!this.find(x, y, z)) return;
    const i = this.at[0];
    const j = this.at[1];
    const a = this.at[2];
    const b = this.at[3];
    for (let corner = 0; corner < 4; corner++) {
      const to = (j + (corner >> 1)) * this.columns + i + (corner & 1);
      const share = weight * (corner & 1 ? a : 1 - a) * (corner >> 1 ? b : 1 - b);
      this.weights[to] += share;
      for (let k = 0; k < 3; k++) this.sums[3 * to + k] += share * Math.log(wanted[3 * v + k] / shown[k]);
    }
  }

  /** Takes in all that was noted, held back where that is little. */
  learn(): void {
    const { values, sums, weights } = this;
    let total = 0;
    let used = 0;
    for (const w of weights) {
      total += w;
      if (w > 0) used++;
    }
    const hold = HELD * Math.min(total / Math.max(1, used), ENOUGH) + 1e-9;
    for (let i = 0; i < sums.length; i++) {
      values[i] += sums[i] / (weights[Math.floor(i / 3)] + hold);
      this.factors[i] = Math.exp(values[i]);
    }
    this.flat = false;
    sums.fill(0);
    weights.fill(0);
  }

  private find(x: number, y: number, z: number): boolean {
    const { camera, sensorFromPiece: m } = this.view;
    const d = m[2] * x + m[6] * y + m[10] * z + m[14];
    const u = ((camera.fx * (m[0] * x + m[4] * y + m[8] * z + m[12])) / d + camera.cx) / this.cell;
    const v = ((camera.fy * (m[1] * x + m[5] * y + m[9] * z + m[13])) / d + camera.cy) / this.cell;
    if (!(u >= 0 && v >= 0 && u < this.columns - 1 && v < this.rows - 1)) return false;
    const { at } = this;
    at[0] = Math.floor(u);
    at[1] = Math.floor(v);
    at[2] = u - at[0];
    at[3] = v - at[1];
    return true;
  }
}
