import { nextHalfEdge, oppositeHalfEdges } from '../mesh/topology.js';
import type { PaintView } from './paint-view.js';

/** A coarse pixel reaches over so many rings of vertices. */
const RINGS = 2;
/** Mistrust spreads to neighbours over so many rounds: highlights have no hard rims. */
const SPREAD_ROUNDS = 2;
/** A vertex counts so much beside one of its neighbours. */
const OWN = 0.5;

/**
 * Lowers a view's quality at vertices where it shows something else than what is painted around them, a highlight or
 * something before the object, and beside them.
 * @param edges of the mesh, `meshEdges`
 * @param outlying so much off (logarithm) it shows something else
 */
export function mistrust(seen: PaintView, edges: Uint32Array, range: PaintRange, outlying: number): void {
  const { quality } = seen.view;
  const light = new Float64Array(3);
  const trust = new Float32Array(quality.length);
  for (let v = 0; v < trust.length; v++) {
    if (quality[v] > 0 && seen.paintAt(v, light) > 0) trust[v] = 1 / (1 + beyond(light, range, v) / outlying ** 2) ** 2;
  }
  const both = edgesWithin(edges, quality);
  narrow(trust, both);
  for (let r = 0; r < SPREAD_ROUNDS; r++) spread(trust, both);
  for (let v = 0; v < trust.length; v++) {
    if (quality[v] > 0) quality[v] = Math.max(1, Math.round(quality[v] * Math.sqrt(trust[v])));
  }
}

/** Both ends of each edge, once where two triangles share it that run the same way round. O(m). */
export function meshEdges(indices: Uint32Array, vertices: number): Uint32Array {
  const opposite = oppositeHalfEdges(indices, vertices);
  const out = new Uint32Array(2 * indices.length);
  let count = 0;
  for (let h = 0; h < indices.length; h++) {
    if (opposite[h] >= 0 && opposite[h] < h) continue;
    out[count++] = indices[h];
    out[count++] = indices[nextHalfEdge(h)];
  }
  return out.subarray(0, count);
}

/** Those edges whose ends are both seen. */
function edgesWithin(edges: Uint32Array, quality: Uint8Array): Uint32Array {
  let count = 0;
  for (let e = 0; e < edges.length; e += 2) if (quality[edges[e]] > 0 && quality[edges[e + 1]] > 0) count += 2;
  const out = new Uint32Array(count);
  count = 0;
  for (let e = 0; e < edges.length; e += 2) {
    if (quality[edges[e]] === 0 || quality[edges[e + 1]] === 0) continue;
    out[count++] = edges[e];
    out[count++] = edges[e + 1];
  }
  return out;
}

/** Least and greatest logarithm of the paint at each vertex and around it. */
export interface PaintRange {
  least: Float32Array;
  most: Float32Array;
}

export function paintRange(paint: Float32Array, edges: Uint32Array): PaintRange {
  let least = new Float32Array(paint.length);
  let most = new Float32Array(paint.length);
  for (let i = 0; i < paint.length; i++) {
    least[i] = paint[i] > 0 ? Math.log(paint[i]) : Infinity;
    most[i] = paint[i] > 0 ? least[i] : -Infinity;
  }
  for (let ring = 0; ring < RINGS; ring++) {
    const [low, high] = [least, most];
    least = low.slice();
    most = high.slice();
    for (let e = 0; e < edges.length; e += 2) {
      const v = 3 * edges[e];
      const w = 3 * edges[e + 1];
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

/** The least trust of each vertex and its neighbours: between a vertex and the next the rim of something lies anywhere. */
function narrow(trust: Float32Array, edges: Uint32Array): void {
  const before = trust.slice();
  for (let e = 0; e < edges.length; e += 2) {
    const v = edges[e];
    const w = edges[e + 1];
    if (before[w] < trust[v]) trust[v] = before[w];
    if (before[v] < trust[w]) trust[w] = before[v];
  }
}

/** Each vertex' trust drawn towards that of its neighbours, downwards more than upwards. */
function spread(trust: Float32Array, edges: Uint32Array): void {
  const sum = new Float32Array(trust.length);
  const count = new Uint16Array(trust.length);
  for (let e = 0; e < edges.length; e += 2) {
    const v = edges[e];
    const w = edges[e + 1];
    sum[v] += trust[w];
    sum[w] += trust[v];
    count[v]++;
    count[w]++;
  }
  for (let v = 0; v < trust.length; v++) {
    const mean = (OWN * trust[v] + sum[v]) / (OWN + count[v]);
    trust[v] = 0.5 * Math.min(trust[v], mean) + 0.5 * mean;
  }
}
