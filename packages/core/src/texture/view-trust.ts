import { vertexCount, type TriangleMesh } from '../geometry/triangle-mesh.js';
import type { PaintView } from './paint-view.js';

/** A coarse pixel reaches over so many rings of vertices. */
const RINGS = 2;
/** Mistrust spreads to neighbours over so many rounds: highlights have no hard rims. */
const SPREAD_ROUNDS = 2;

/**
 * Lowers a view's quality at vertices where it shows something else than what is painted around them, a highlight or
 * something before the object, and beside them.
 * @param outlying so much off (logarithm) it shows something else
 */
export function mistrust(seen: PaintView, mesh: TriangleMesh, range: PaintRange, outlying: number): void {
  const { quality } = seen.view;
  const light = new Float64Array(3);
  let trust = new Float32Array(vertexCount(mesh)).fill(-1);
  for (let v = 0; v < trust.length; v++) {
    if (quality[v] === 0) continue;
    trust[v] = seen.paintAt(v, light) > 0 ? 1 / (1 + beyond(light, range, v) / outlying ** 2) ** 2 : 0;
  }
  trust = narrowed(trust, mesh.indices);
  for (let r = 0; r < SPREAD_ROUNDS; r++) trust = spread(trust, mesh.indices);
  for (let v = 0; v < trust.length; v++) {
    if (quality[v] > 0) quality[v] = Math.max(1, Math.round(quality[v] * Math.sqrt(Math.max(0, trust[v]))));
  }
}

/** Least and greatest logarithm of the paint at each vertex and around it. */
export interface PaintRange {
  least: Float32Array;
  most: Float32Array;
}

export function paintRange(paint: Float32Array, indices: Uint32Array): PaintRange {
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
