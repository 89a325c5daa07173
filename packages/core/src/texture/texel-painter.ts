import type { TriangleMesh } from '../geometry/triangle-mesh.js';
import type { CorrectionGrid } from './correction-grid.js';
import { lightAt, weightOfQuality, type FrameView } from './frame-views.js';
import type { LitSurface } from './lit-surface.js';

/** Views that colour one triangle, at most; the next one is what their weights are counted from, so that none comes in with a step. */
const CANDIDATES = 8;
/** Burnt-out pixels: from here on they count less, here not at all. */
const SOUND = 0.85;
const BURNT = 0.98;

/** Colours single texels of one triangle after another from the views that see it best. */
export class TexelPainter {
  private readonly chosen = new Int32Array(CANDIDATES + 1);
  private readonly score = new Float64Array(CANDIDATES + 1);
  /** Weight and factors of each candidate at the triangle's corners. */
  private readonly weights = new Float64Array(3 * (CANDIDATES + 1));
  private readonly factors = new Float64Array(9 * CANDIDATES);
  private readonly light = new Float64Array(3);
  private count = 0;
  private triangle = 0;

  /**
   * @param fill light of the paint at each vertex where no view tells, 3n
   * @param scale three channels, from paint to the map's light
   * @param sharpness how much the best view outweighs the others; 1 = even mixing
   */
  constructor(
    private readonly mesh: TriangleMesh,
    private readonly views: readonly FrameView[],
    private readonly lit: LitSurface,
    private readonly corrections: readonly CorrectionGrid[],
    private readonly fill: Float32Array,
    private readonly scale: ArrayLike<number>,
    private readonly sharpness: number,
  ) {}

  /** Chooses the views that see this triangle best. */
  start(t: number): void {
    this.triangle = t;
    const { chosen, score, views } = this;
    const { indices, positions: p } = this.mesh;
    let count = 0;
    for (let i = 0; i < views.length; i++) {
      const q = views[i].quality;
      const s = q[indices[3 * t]] + q[indices[3 * t + 1]] + q[indices[3 * t + 2]];
      if (s <= 0 || (count > CANDIDATES && s <= score[CANDIDATES])) continue;
      let at = Math.min(count, CANDIDATES);
      while (at > 0 && score[at - 1] < s) {
        score[at] = score[at - 1];
        chosen[at] = chosen[at - 1];
        at--;
      }
      score[at] = s;
      chosen[at] = i;
      if (count <= CANDIDATES) count++;
    }
    this.count = Math.min(count, CANDIDATES);
    for (let k = 0; k < count; k++) {
      const view = views[chosen[k]];
      for (let c = 0; c < 3; c++) {
        const v = indices[3 * t + c];
        this.weights[3 * k + c] = weightOfQuality(view.quality[v]) ** this.sharpness;
        if (k >= CANDIDATES) continue;
        this.lit.paintFactors(chosen[k], v, this.factors, 9 * k + 3 * c);
        this.corrections[chosen[k]].apply(p[3 * v], p[3 * v + 1], p[3 * v + 2], this.factors, 9 * k + 3 * c);
      }
    }
    if (count <= CANDIDATES) this.weights.fill(0, 3 * CANDIDATES);
  }

  /**
   * Writes the light at barycentric weights.
   * @returns share of it that views saw, 0–1
   */
  paint(w0: number, w1: number, w2: number, out: Float32Array, at: number): number {
    const { weights, factors, light, fill, scale } = this;
    const { indices, positions: p } = this.mesh;
    const a = 3 * indices[3 * this.triangle];
    const b = 3 * indices[3 * this.triangle + 1];
    const c = 3 * indices[3 * this.triangle + 2];
    const x = w0 * p[a] + w1 * p[b] + w2 * p[c];
    const y = w0 * p[a + 1] + w1 * p[b + 1] + w2 * p[c + 1];
    const z = w0 * p[a + 2] + w1 * p[b + 2] + w2 * p[c + 2];
    const last = 3 * CANDIDATES;
    const next = w0 * weights[last] + w1 * weights[last + 1] + w2 * weights[last + 2];
    let sum = 0;
    let r = 0;
    let g = 0;
    let bl = 0;
    let sound = 0;
    for (let k = 0; k < this.count; k++) {
      const q = w0 * weights[3 * k] + w1 * weights[3 * k + 1] + w2 * weights[3 * k + 2] - next;
      if (!(q > 0) || !lightAt(this.views[this.chosen[k]], x, y, z, light)) continue;
      const most = Math.max(light[0], light[1], light[2]);
      const weight = q * (most <= SOUND ? 1 : Math.max(1e-6, (BURNT - most) / (BURNT - SOUND)));
      const f = 9 * k;
      sum += weight;
      sound += q;
      r += weight * light[0] * (w0 * factors[f] + w1 * factors[f + 3] + w2 * factors[f + 6]);
      g += weight * light[1] * (w0 * factors[f + 1] + w1 * factors[f + 4] + w2 * factors[f + 7]);
      bl += weight * light[2] * (w0 * factors[f + 2] + w1 * factors[f + 5] + w2 * factors[f + 8]);
    }
    // Towards vertices that no view sees the colour goes over to what is filled in there.
    const cover = sound > 0 ? this.covered(w0, w1, w2) : 0;
    const own = sum > 0 ? cover / sum : 0;
    out[at] = scale[0] * (own * r + (1 - cover) * (w0 * fill[a] + w1 * fill[b] + w2 * fill[c]));
    out[at + 1] = scale[1] * (own * g + (1 - cover) * (w0 * fill[a + 1] + w1 * fill[b + 1] + w2 * fill[c + 1]));
    out[at + 2] = scale[2] * (own * bl + (1 - cover) * (w0 * fill[a + 2] + w1 * fill[b + 2] + w2 * fill[c + 2]));
    return cover;
  }

  private covered(w0: number, w1: number, w2: number): number {
    const { weights } = this;
    let [a, b, c] = [0, 0, 0];
    for (let k = 0; k < this.count; k++) {
      if (weights[3 * k] > 0) a = 1;
      if (weights[3 * k + 1] > 0) b = 1;
      if (weights[3 * k + 2] > 0) c = 1;
    }
    return a + b + c === 3 ? 1 : w0 * a + w1 * b + w2 * c;
  }
}
