import { vertexCount, type TriangleMesh } from '../geometry/triangle-mesh.js';
import type { RunContext } from '../runtime/run-context.js';
import type { CoarsePicture } from './coarse-picture.js';
import { weightOfQuality, type FrameView } from './frame-views.js';
import { facing, glare, lampGlare, type LightModel } from './light-model.js';
import type { LitSurface } from './lit-surface.js';

/** What the views agree on at each vertex. */
export interface Agreement {
  /** Light that the paint sends back, 3n; NaN where no view sees the vertex. */
  paint: Float32Array;
  /** For each view a grid of corrections, so that all views show the same over wide areas. */
  corrections: ViewCorrection[];
}

/** A view that differs by more than this (logarithm) from what the others say shows something else: a highlight, a shadow. */
const OUTLYING = 0.12;
const WIDEST = 0.45;
const ROUNDS = 4;
/** Cells of the corrections, in a picture's width. */
const CELLS = 16;
/** A cell counts fully from about so many vertices on. */
const ENOUGH = 6;
/** Mistrust spreads to neighbours over so many rounds: highlights have no hard rims. */
const SPREAD_ROUNDS = 2;
/** Burnt-out and noisy pixels. */
const BURNT = 0.93;
const NOISY = 0.006;

/**
 * What most views agree on at each vertex, robust on both sides; lowers the quality of views where they show something else,
 * and finds wide-area corrections for what the light leaves over. O(views · vertices).
 */
export function agreeViews(
  mesh: TriangleMesh,
  views: FrameView[],
  pictures: readonly CoarsePicture[],
  lit: LitSurface,
  correct: boolean,
  ctx: RunContext,
): Agreement {
  const n = vertexCount(mesh);
  const corrections = views.map((v, i) => new ViewCorrection(v, pictures[i]));
  let paint = consensus(mesh, views, pictures, lit, corrections, undefined, ctx.part(0, 0.4));
  // Twice: corrections make the views agree better, and then fewer of them are outliers.
  for (let round = 0; correct && round < 2; round++) {
    const from = paint;
    views.forEach((_, i) => corrections[i].learn(mesh, lit, i, from));
    paint = consensus(mesh, views, pictures, lit, corrections, from, ctx.part(0.4 + 0.2 * round, 0.6 + 0.2 * round));
  }
  const range = paintRange(paint, mesh.indices);
  const light = new Float64Array(3);
  const factors = new Float64Array(3);
  views.forEach((view, i) => {
    ctx.checkpoint(0.8 + (0.2 * i) / views.length);
    let trust = new Float32Array(n).fill(-1);
    for (let v = 0; v < n; v++) {
      if (view.quality[v] === 0) continue;
      if (!seenPaint(mesh, pictures[i], lit, corrections[i], i, v, light, factors)) {
        trust[v] = 0;
        continue;
      }
      const square = beyond(light, range, v) / OUTLYING ** 2;
      trust[v] = 1 / (1 + square) ** 2;
    }
    trust = narrowed(trust, mesh.indices);
    for (let r = 0; r < SPREAD_ROUNDS; r++) trust = spread(trust, mesh.indices);
    for (let v = 0; v < n; v++) {
      if (view.quality[v] > 0)
        view.quality[v] = Math.max(1, Math.round(view.quality[v] * Math.sqrt(Math.max(0, trust[v]))));
    }
  });
  return { paint, corrections };
}

/** Where a surface may shine. */
const MISTRUST = 0.95;

/** Lowers the quality of views where a lamp of the room or at the sensor may shine back: others, that see the place from aside, count for more. */
export function avoidGlare(
  mesh: TriangleMesh,
  normals: Float32Array,
  views: readonly FrameView[],
  lamps: LightModel['lamps'],
): void {
  const p = mesh.positions;
  const n = vertexCount(mesh);
  for (const view of views) {
    const lamp = lamps[view.room]?.direction;
    for (let v = 0; v < n; v++) {
      if (view.quality[v] === 0) continue;
      const [x, y, z] = [p[3 * v], p[3 * v + 1], p[3 * v + 2]];
      const [nx, ny, nz] = [normals[3 * v], normals[3 * v + 1], normals[3 * v + 2]];
      const own = glare(facing(view, x, y, z, nx, ny, nz));
      const far = lamp ? lampGlare(view, lamp, x, y, z, nx, ny, nz) : 0;
      const clear = (1 - MISTRUST * own) * (1 - MISTRUST * far);
      view.quality[v] = Math.max(1, Math.round(view.quality[v] * Math.sqrt(clear)));
    }
  }
}

/** The least trust (negative: not seen) of each vertex and its neighbours: between a vertex and the next the rim of something lies anywhere. */
function narrowed(trust: Float32Array, indices: Uint32Array): Float32Array<ArrayBuffer> {
  const out = Float32Array.from(trust);
  for (let h = 0; h < indices.length; h++) {
    const v = indices[h];
    const w = indices[h % 3 === 2 ? h - 2 : h + 1];
    if (trust[v] < 0 || trust[w] < 0) continue;
    if (trust[w] < out[v]) out[v] = trust[w];
    if (trust[v] < out[w]) out[w] = trust[v];
  }
  return out;
}

/** Each vertex' trust (negative: not seen) drawn towards that of its neighbours, downwards more than upwards. */
function spread(trust: Float32Array, indices: Uint32Array): Float32Array<ArrayBuffer> {
  const sum = new Float32Array(trust.length);
  const count = new Uint16Array(trust.length);
  for (let h = 0; h < indices.length; h++) {
    const v = indices[h];
    const w = indices[h % 3 === 2 ? h - 2 : h + 1];
    if (trust[v] < 0 || trust[w] < 0) continue;
    sum[v] += trust[w];
    sum[w] += trust[v];
    count[v]++;
    count[w]++;
  }
  return Float32Array.from(trust, (own, v) => {
    if (own < 0 || count[v] === 0) return own;
    const mean = (own + sum[v]) / (1 + count[v]);
    return 0.5 * Math.min(own, mean) + 0.5 * mean;
  });
}

/** Least and greatest logarithm of the paint at each vertex and around it. */
interface PaintRange {
  least: Float32Array;
  most: Float32Array;
}

/** A coarse pixel reaches over so many rings of vertices. */
const RINGS = 2;

function paintRange(paint: Float32Array, indices: Uint32Array): PaintRange {
  let least = Float32Array.from(paint, (c) => (c > 0 ? Math.log(c) : Infinity));
  let most = Float32Array.from(paint, (c) => (c > 0 ? Math.log(c) : -Infinity));
  for (let ring = 0; ring < RINGS; ring++) {
    const [low, high] = [least, most];
    least = Float32Array.from(low);
    most = Float32Array.from(high);
    for (let h = 0; h < indices.length; h++) {
      const v = 3 * indices[h];
      const w = 3 * indices[h % 3 === 2 ? h - 2 : h + 1];
      for (let k = 0; k < 3; k++) {
        if (low[w + k] < least[v + k]) least[v + k] = low[w + k];
        if (low[v + k] < least[w + k]) least[w + k] = low[v + k];
        if (high[w + k] > most[v + k]) most[v + k] = high[w + k];
        if (high[v + k] > most[w + k]) most[w + k] = high[v + k];
      }
    }
  }
  return { least, most };
}

/** How far a colour lies outside what is painted around a vertex: mean square of the logarithms. Beside edges of the paint anything between counts as right. */
function beyond(light: Float64Array, { least, most }: PaintRange, v: number): number {
  let square = 0;
  for (let k = 0; k < 3; k++) {
    const log = Math.log(light[k]);
    square += Math.max(0, least[3 * v + k] - log, log - most[3 * v + k]) ** 2;
  }
  return square / 3;
}

/** Mean square difference of the logarithms, three channels. */
function misfit(light: Float64Array, paint: Float32Array, v: number): number {
  let square = 0;
  for (let k = 0; k < 3; k++) square += Math.log(light[k] / paint[3 * v + k]) ** 2;
  return square / 3;
}

/** The paint that a view shows at a vertex. @returns its weight by brightness, 0 where it tells nothing */
function seenPaint(
  mesh: TriangleMesh,
  picture: CoarsePicture,
  lit: LitSurface,
  correction: ViewCorrection,
  view: number,
  v: number,
  out: Float64Array,
  factors: Float64Array,
): number {
  const p = mesh.positions;
  if (!picture.lightAt(p[3 * v], p[3 * v + 1], p[3 * v + 2], out)) return 0;
  const most = Math.max(out[0], out[1], out[2]);
  if (most > BURNT || most < NOISY) return 0;
  const falls = lit.paintFactors(view, v, factors);
  correction.apply(p[3 * v], p[3 * v + 1], p[3 * v + 2], factors);
  for (let k = 0; k < 3; k++) out[k] = Math.max(1e-4, out[k] * factors[k]);
  // Where little light falls, noise and what comes from elsewhere count for more.
  return Math.min(1, falls) ** 2 * (most > 0.8 ? (BURNT - most) / (BURNT - 0.8) : 1);
}

/** Robust mean of all views at each vertex. */
function consensus(
  mesh: TriangleMesh,
  views: readonly FrameView[],
  small: readonly CoarsePicture[],
  lit: LitSurface,
  corrections: readonly ViewCorrection[],
  from: Float32Array | undefined,
  ctx: RunContext,
): Float32Array {
  const n = vertexCount(mesh);
  const out = new Float32Array(3 * n).fill(NaN);
  const logs = new Float64Array(3 * views.length);
  const luma = new Float64Array(views.length);
  const weights = new Float64Array(views.length);
  const light = new Float64Array(3);
  const factors = new Float64Array(3);
  const mean = new Float64Array(3);
  for (let v = 0; v < n; v++) {
    if ((v & 4095) === 0) ctx.checkpoint(v / n);
    let count = 0;
    for (let i = 0; i < views.length; i++) {
      const q = views[i].quality[v];
      if (q === 0) continue;
      const bright = seenPaint(mesh, small[i], lit, corrections[i], i, v, light, factors);
      if (bright <= 0) continue;
      weights[count] = weightOfQuality(q) * bright;
      for (let k = 0; k < 3; k++) logs[3 * count + k] = Math.log(light[k]);
      luma[count] = 0.25 * logs[3 * count] + 0.6 * logs[3 * count + 1] + 0.15 * logs[3 * count + 2];
      count++;
    }
    if (count === 0) continue;
    const middle = weightedMedian(luma, weights, count);
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
      const sum = [0, 0, 0];
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

function weightedMedian(values: Float64Array, weights: Float64Array, count: number): number {
  const order = Array.from({ length: count }, (_, i) => i).sort((a, b) => values[a] - values[b]);
  let total = 0;
  for (let i = 0; i < count; i++) total += weights[i];
  let sum = 0;
  for (const i of order) {
    sum += weights[i];
    if (sum >= total / 2) return values[i];
  }
  return values[order[count - 1]];
}

/** A smooth correction over a view's picture: logarithms at the corners of a coarse grid. */
export class ViewCorrection {
  private readonly columns: number;
  private readonly rows: number;
  private readonly cell: number;
  private values: Float32Array;

  constructor(
    private readonly view: FrameView,
    private readonly picture: CoarsePicture,
  ) {
    this.cell = view.camera.width / CELLS;
    this.columns = CELLS + 2;
    this.rows = Math.ceil(view.camera.height / this.cell) + 2;
    this.values = new Float32Array(3 * this.columns * this.rows);
  }

  /** Multiplies factors (three channels) by the correction at a place of the piece. */
  apply(x: number, y: number, z: number, factors: Float64Array, at = 0): void {
    const cell = this.cellAt(x, y, z);
    if (!cell) return;
    const { values, columns } = this;
    const [i, j, a, b] = cell;
    const left = 3 * (j * columns + i);
    const below = left + 3 * columns;
    for (let k = 0; k < 3; k++) {
      const log =
        (values[left + k] * (1 - a) + values[left + 3 + k] * a) * (1 - b) +
        (values[below + k] * (1 - a) + values[below + 3 + k] * a) * b;
      factors[at + k] *= Math.exp(log);
    }
  }

  /** Takes in how this view differs from what all agree on, beside outliers. */
  learn(mesh: TriangleMesh, lit: LitSurface, number: number, paint: Float32Array): void {
    const { values, columns, view } = this;
    const sums = new Float64Array(values.length);
    const counts = new Float64Array(values.length / 3);
    const light = new Float64Array(3);
    const factors = new Float64Array(3);
    const p = mesh.positions;
    const n = vertexCount(mesh);
    for (let v = 0; v < n; v++) {
      if (view.quality[v] < 16 || !(paint[3 * v] > 0)) continue;
      const bright = seenPaint(mesh, this.picture, lit, this, number, v, light, factors);
      if (bright <= 0) continue;
      const cell = this.cellAt(p[3 * v], p[3 * v + 1], p[3 * v + 2]);
      if (!cell) continue;
      const square = misfit(light, paint, v) / (2 * OUTLYING) ** 2;
      const w = (bright * weightOfQuality(view.quality[v])) / (1 + square) ** 2;
      const [i, j, a, b] = cell;
      for (let corner = 0; corner < 4; corner++) {
        const at = (j + (corner >> 1)) * columns + i + (corner & 1);
        const share = w * (corner & 1 ? a : 1 - a) * (corner >> 1 ? b : 1 - b);
        counts[at] += share;
        for (let k = 0; k < 3; k++) sums[3 * at + k] += share * Math.log(paint[3 * v + k] / light[k]);
      }
    }
    const usual = counts.reduce((s, c) => s + c, 0) / Math.max(1, counts.filter((c) => c > 0).length);
    const hold = Math.min(usual, ENOUGH) * 0.3 + 1e-9;
    for (let i = 0; i < counts.length; i++)
      for (let k = 0; k < 3; k++) values[3 * i + k] += sums[3 * i + k] / (counts[i] + hold);
  }

  private cellAt(x: number, y: number, z: number): [number, number, number, number] | undefined {
    const { camera, sensorFromPiece: m } = this.view;
    const d = m[2] * x + m[6] * y + m[10] * z + m[14];
    const u = ((camera.fx * (m[0] * x + m[4] * y + m[8] * z + m[12])) / d + camera.cx) / this.cell;
    const v = ((camera.fy * (m[1] * x + m[5] * y + m[9] * z + m[13])) / d + camera.cy) / this.cell;
    if (!(u >= 0 && v >= 0 && u < this.columns - 1 && v < this.rows - 1)) return undefined;
    const i = Math.floor(u);
    const j = Math.floor(v);
    return [i, j, u - i, v - j];
  }
}
