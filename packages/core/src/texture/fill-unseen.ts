import { LIGHT_OF_SRGB } from '../geometry/srgb.js';
import { vertexCount, type TriangleMesh } from '../geometry/triangle-mesh.js';

const SWEEPS = 30;
/** Of a body that no view sees at all and that has no colours. */
const PLAIN = 0.3;

/**
 * Light of the paint at all vertices: where the views agreed it is theirs, elsewhere it goes on from around over the surface, as
 * evenly as it can. Where scans measured colours at points, those show through: only how they differ from the views' is carried on.
 * O(sweeps · unseen).
 *
 * Source: the membrane of P. Pérez, M. Gangnet, A. Blake (2003), Poisson image editing, on a surface.
 */
export function fillUnseen(mesh: TriangleMesh, paint: Float32Array): Float32Array {
  const n = vertexCount(mesh);
  const out = paint.slice();
  const { colors, invented, indices } = mesh;
  const own = (v: number, k: number): number =>
    colors && !invented?.[v] ? Math.max(0.004, LIGHT_OF_SRGB[colors[3 * v + k]]) : 1;
  const known = new Uint8Array(n);
  for (let v = 0; v < n; v++) if (paint[3 * v] > 0) known[v] = 1;
  const degree = new Uint32Array(n + 1);
  for (const v of indices) degree[v + 1] += 2;
  for (let v = 0; v < n; v++) degree[v + 1] += degree[v];
  const cursor = degree.slice(0, n);
  const list = new Uint32Array(2 * indices.length);
  for (let h = 0; h < indices.length; h++) {
    const v = indices[h];
    list[cursor[v]++] = indices[h % 3 === 2 ? h - 2 : h + 1];
    list[cursor[v]++] = indices[h % 3 === 0 ? h + 2 : h - 1];
  }
  // Logarithm of what is carried on, from the seen vertices outwards.
  const carried = new Float32Array(3 * n);
  let front: number[] = [];
  for (let v = 0; v < n; v++) {
    if (!known[v]) continue;
    for (let k = 0; k < 3; k++) carried[3 * v + k] = Math.log(Math.max(1e-4, paint[3 * v + k]) / own(v, k));
    front.push(v);
  }
  const reached = known.slice();
  const order: number[] = [];
  while (front.length > 0) {
    const next: number[] = [];
    for (const v of front) {
      for (let e = degree[v]; e < degree[v + 1]; e++) {
        const w = list[e];
        if (reached[w]) continue;
        reached[w] = 2;
        next.push(w);
      }
    }
    for (const w of next) {
      let count = 0;
      const sum = [0, 0, 0];
      for (let e = degree[w]; e < degree[w + 1]; e++) {
        if (reached[list[e]] !== 1) continue;
        count++;
        for (let k = 0; k < 3; k++) sum[k] += carried[3 * list[e] + k];
      }
      for (let k = 0; k < 3; k++) carried[3 * w + k] = sum[k] / Math.max(1, count);
    }
    for (const w of next) reached[w] = 1;
    for (const w of next) order.push(w);
    front = next;
  }
  for (let sweep = 0; sweep < SWEEPS; sweep++) {
    for (let i = 0; i < order.length; i++) {
      const w = sweep % 2 ? order[order.length - 1 - i] : order[i];
      const count = degree[w + 1] - degree[w];
      for (let k = 0; k < 3; k++) {
        let sum = 0;
        for (let e = degree[w]; e < degree[w + 1]; e++) sum += carried[3 * list[e] + k];
        carried[3 * w + k] = sum / count;
      }
    }
  }
  for (let v = 0; v < n; v++) {
    if (known[v]) continue;
    for (let k = 0; k < 3; k++) {
      const base = own(v, k);
      // Pieces that no view sees keep their own colours, or a plain one.
      out[3 * v + k] = reached[v] ? base * Math.exp(carried[3 * v + k]) : colors && !invented?.[v] ? base : PLAIN;
    }
  }
  return out;
}
