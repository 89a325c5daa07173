import { vertexCount, type TriangleMesh } from '../geometry/triangle-mesh.js';
import type { CoarsePicture } from './coarse-picture.js';
import { CorrectionGrid } from './correction-grid.js';
import { weightOfQuality, type FrameView } from './frame-views.js';
import type { LitSurface } from './lit-surface.js';

/** Burnt-out and noisy pixels; from `NEARLY_BURNT` on they count less. */
const BURNT = 0.93;
const NEARLY_BURNT = 0.8;
const NOISY = 0.006;
/** No light at all has no logarithm. */
const DARKEST = 1e-4;

/** The paint that one view shows, its light and exposure taken out. */
export class PaintView {
  readonly correction: CorrectionGrid;
  private readonly factors = new Float64Array(3);
  private readonly seen = new Float64Array(3);

  constructor(
    private readonly mesh: TriangleMesh,
    readonly view: FrameView,
    private readonly number: number,
    private readonly picture: CoarsePicture,
    private readonly lit: LitSurface,
  ) {
    this.correction = new CorrectionGrid(view);
  }

  /** Writes the paint at a vertex (three channels). @returns its weight by brightness, 0 where the view tells nothing */
  paintAt(v: number, out: Float64Array): number {
    const p = this.mesh.positions;
    const { factors } = this;
    if (!this.picture.lightAt(p[3 * v], p[3 * v + 1], p[3 * v + 2], out)) return 0;
    const most = Math.max(out[0], out[1], out[2]);
    if (most > BURNT || most < NOISY) return 0;
    const falls = this.lit.paintFactors(this.number, v, factors);
    this.correction.apply(p[3 * v], p[3 * v + 1], p[3 * v + 2], factors);
    for (let k = 0; k < 3; k++) out[k] = Math.max(DARKEST, out[k] * factors[k]);
    // Where little light falls, noise and what comes from elsewhere count for more.
    return Math.min(1, falls) ** 2 * (most > NEARLY_BURNT ? (BURNT - most) / (BURNT - NEARLY_BURNT) : 1);
  }

  /**
   * Corrects wide-area differences from what all views agree on.
   * @param outlying differences of the logarithm that count little
   */
  learn(paint: Float32Array, outlying: number): void {
    const { mesh, view, seen } = this;
    const p = mesh.positions;
    const n = vertexCount(mesh);
    for (let v = 0; v < n; v++) {
      if (view.quality[v] < 16 || !(paint[3 * v] > 0)) continue;
      const bright = this.paintAt(v, seen);
      if (bright <= 0) continue;
      let square = 0;
      for (let k = 0; k < 3; k++) square += Math.log(seen[k] / paint[3 * v + k]) ** 2 / 3;
      const weight = (bright * weightOfQuality(view.quality[v])) / (1 + square / outlying ** 2) ** 2;
      this.correction.note(p[3 * v], p[3 * v + 1], p[3 * v + 2], seen, paint, v, weight);
    }
    this.correction.learn();
  }
}
