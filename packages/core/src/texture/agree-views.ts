import { vertexCount, type TriangleMesh } from '../geometry/triangle-mesh.js';
import type { RunContext } from '../runtime/run-context.js';
import type { CoarsePicture } from './coarse-picture.js';
import type { CorrectionGrid } from './correction-grid.js';
import { weightOfQuality, type FrameView } from './frame-views.js';
import type { LitSurface } from './lit-surface.js';
import { PaintView } from './paint-view.js';
import { meshEdges, mistrust, paintRange } from './view-trust.js';

/** What the views agree on at each vertex. */
export interface Agreement {
  /** Light that the paint sends back, 3n; NaN where no view sees the vertex. */
  paint: Float32Array;
  /** One for each view, so that all show the same over wide areas. */
  corrections: CorrectionGrid[];
}

/** A view that differs by more than this (logarithm) from what the others say shows something else: a highlight, a shadow. */
const OUTLYING = 0.12;
const WIDEST = 0.45;
const ROUNDS = 4;

/**
 * What most views agree on at each vertex, robust on both sides; lowers the quality of views where they show something else.
 * O(views · vertices).
 * @param correct also evens out how the views differ over wide areas
 */
export function agreeViews(
  mesh: TriangleMesh,
  views: FrameView[],
  pictures: readonly CoarsePicture[],
  lit: LitSurface,
  correct: boolean,
  ctx: RunContext,
): Agreement {
  const seen = views.map((view, i) => new PaintView(mesh, view, i, pictures[i], lit));
  let paint = consensus(mesh, seen, undefined, ctx.part(0, 0.4));
  // Twice: corrections make the views agree better, and then fewer of them are outliers.
  for (let round = 0; correct && round < 2; round++) {
    for (const s of seen) s.learn(paint, 2 * OUTLYING);
    paint = consensus(mesh, seen, paint, ctx.part(0.4 + 0.2 * round, 0.6 + 0.2 * round));
  }
  const edges = meshEdges(mesh.indices, vertexCount(mesh));
  const range = paintRange(paint, edges);
  seen.forEach((s, i) => {
    ctx.checkpoint(0.8 + (0.2 * i) / seen.length);
    mistrust(s, edges, range, OUTLYING);
  });
  return { paint, corrections: seen.map((s) => s.correction) };
}

/** Robust mean of all views at each vertex. */
function consensus(
  mesh: TriangleMesh,
  seen: readonly PaintView[],
  from: Float32Array | undefined,
  ctx: RunContext,
): Float32Array {
  const n = vertexCount(mesh);
  const out = new Float32Array(3 * n).fill(NaN);
  const logs = new Float64Array(3 * seen.length);
  const luma = new Float64Array(seen.length);
  const weights = new Float64Array(seen.length);
  const light = new Float64Array(3);
  const mean = new Float64Array(3);
  const sum = new Float64Array(3);
  const order = new Uint16Array(seen.length);
  for (let v = 0; v < n; v++) {
    if ((v & 4095) === 0) ctx.checkpoint(v / n);
    let count = 0;
    for (const s of seen) {
      const q = s.view.quality[v];
      if (q === 0) continue;
      const bright = s.paintAt(v, light);
      if (bright <= 0) continue;
      weights[count] = weightOfQuality(q) * bright;
      for (let k = 0; k < 3; k++) logs[3 * count + k] = Math.log(light[k]);
      luma[count] = 0.25 * logs[3 * count] + 0.6 * logs[3 * count + 1] + 0.15 * logs[3 * count + 2];
      count++;
    }
    if (count === 0) continue;
    const middle = weightedMedian(luma, weights, count, order);
    let least = Infinity;
    for (let i = 0; i < count; i++) {
      const d = Math.abs(luma[i] - middle);
      if (d >= least) continue;
      least = d;
      for (let k = 0; k < 3; k++) mean[k] = logs[3 * i + k];
    }
    if (from && from[3 * v] > 0) for (let k = 0; k < 3; k++) mean[k] = Math.log(from[3 * v + k]);
    for (let round = 0; round < ROUNDS; round++) {
      const scale = from ? OUTLYING : WIDEST * (OUTLYING / WIDEST) ** (round / (ROUNDS - 1));
      let total = 0;
      sum.fill(0);
      for (let i = 0; i < count; i++) {
        let square = 0;
        for (let k = 0; k < 3; k++) square += (logs[3 * i + k] - mean[k]) ** 2;
        const w = weights[i] / (1 + square / (3 * scale * scale)) ** 2;
        total += w;
        for (let k = 0; k < 3; k++) sum[k] += w * logs[3 * i + k];
      }
      if (total > 0) for (let k = 0; k < 3; k++) mean[k] = sum[k] / total;
    }
    for (let k = 0; k < 3; k++) out[3 * v + k] = Math.exp(mean[k]);
  }
  return out;
}

/** @param order room for numbers of the values */
function weightedMedian(values: Float64Array, weights: Float64Array, count: number, order: Uint16Array): number {
  let total = 0;
  for (let i = 0; i < count; i++) {
    total += weights[i];
    let at = i;
    for (; at > 0 && values[order[at - 1]] > values[i]; at--) order[at] = order[at - 1];
    order[at] = i;
  }
  let sum = 0;
  for (let at = 0; at < count; at++) {
    sum += weights[order[at]];
    if (sum >= total / 2) return values[order[at]];
  }
  return values[order[count - 1]];
}
