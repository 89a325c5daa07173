import type { TriangleMesh } from '../geometry/triangle-mesh.js';

const LEAF_SIZE = 4;

/** Closest point of a surface to a query. */
export interface SurfaceHit {
  triangle: number;
  squaredDistance: number;
  x: number;
  y: number;
  z: number;
  /** Where on the triangle: shares of its second and third corner; exactly 0 or 1 (or together 1) on its rim. */
  v: number;
  w: number;
}

/**
 * Bounding volume hierarchy over a mesh's triangles, split at the median of the longest axis of the centroids.
 * Build O(m log m), 28 bytes a node; closest-point queries O(log m) on usual surfaces.
 * Source of the closest-point test: C. Ericson (2005), Real-Time Collision Detection, 5.1.5.
 */
export class TriangleBvh {
  private readonly boxes: Float32Array;
  /** For a leaf: -(first + 1); for an inner node: index of its right child (the left one follows the node). */
  private readonly link: Int32Array;
  private readonly leafCount: Uint8Array;
  private readonly order: Uint32Array;
  private nodes = 0;
  private readonly stack = new Int32Array(96);

  constructor(private readonly mesh: TriangleMesh) {
    const m = mesh.indices.length / 3;
    const { positions: p, indices } = mesh;
    this.order = new Uint32Array(m);
    const centroid = new Float32Array(3 * m);
    for (let t = 0; t < m; t++) {
      this.order[t] = t;
      for (let k = 0; k < 3; k++) {
        centroid[3 * t + k] =
          (p[3 * indices[3 * t] + k] + p[3 * indices[3 * t + 1] + k] + p[3 * indices[3 * t + 2] + k]) / 3;
      }
    }
    const capacity = Math.max(1, 2 * Math.ceil(m / (LEAF_SIZE / 2)) + 1);
    this.boxes = new Float32Array(6 * capacity);
    this.link = new Int32Array(capacity);
    this.leafCount = new Uint8Array(capacity);
    if (m > 0) this.build(0, m, centroid);
  }

  private build(from: number, to: number, centroid: Float32Array): number {
    const node = this.nodes++;
    const { positions: p, indices } = this.mesh;
    const b = 6 * node;
    const boxes = this.boxes;
    for (let k = 0; k < 3; k++) {
      boxes[b + k] = Infinity;
      boxes[b + 3 + k] = -Infinity;
    }
    const low = [Infinity, Infinity, Infinity];
    const high = [-Infinity, -Infinity, -Infinity];
    for (let i = from; i < to; i++) {
      const t = this.order[i];
      for (let c = 0; c < 3; c++) {
        const v = 3 * indices[3 * t + c];
        for (let k = 0; k < 3; k++) {
          const x = p[v + k];
          if (x < boxes[b + k]) boxes[b + k] = x;
          if (x > boxes[b + 3 + k]) boxes[b + 3 + k] = x;
        }
      }
      for (let k = 0; k < 3; k++) {
        const x = centroid[3 * t + k];
        if (x < low[k]) low[k] = x;
        if (x > high[k]) high[k] = x;
      }
    }
    if (to - from <= LEAF_SIZE) {
      this.link[node] = -(from + 1);
      this.leafCount[node] = to - from;
      return node;
    }
    let axis = 0;
    for (let k = 1; k < 3; k++) if (high[k] - low[k] > high[axis] - low[axis]) axis = k;
    const mid = (from + to) >> 1;
    selectNth(this.order, from, to - 1, mid, centroid, axis);
    this.build(from, mid, centroid);
    this.link[node] = this.build(mid, to, centroid);
    return node;
  }

  /** Visits the triangles whose leaves' boxes meet a box: least x, y, z, then greatest. */
  meeting([x0, y0, z0, x1, y1, z1]: Float32Array, visit: (triangle: number) => void): void {
    const { boxes, link, leafCount, order, stack } = this;
    let top = 0;
    if (this.nodes > 0) stack[top++] = 0;
    while (top > 0) {
      const node = stack[--top];
      const k = 6 * node;
      if (boxes[k] > x1 || boxes[k + 1] > y1 || boxes[k + 2] > z1) continue;
      if (boxes[k + 3] < x0 || boxes[k + 4] < y0 || boxes[k + 5] < z0) continue;
      const l = link[node];
      if (l >= 0) {
        stack[top++] = l;
        stack[top++] = node + 1;
      } else for (let i = -l - 1; i < -l - 1 + leafCount[node]; i++) visit(order[i]);
    }
  }

  /** Closest surface point within `maxDistance`, written to `out`. @returns false if there is none */
  closest(px: number, py: number, pz: number, maxDistance: number, out: SurfaceHit): boolean {
    let best = maxDistance * maxDistance;
    let found = false;
    const { boxes, link, leafCount, order, stack } = this;
    let top = 0;
    if (this.nodes > 0) stack[top++] = 0;
    while (top > 0) {
      const node = stack[--top];
      if (boxDistance(boxes, 6 * node, px, py, pz) >= best) continue;
      const l = link[node];
      if (l < 0) {
        const first = -l - 1;
        for (let i = first; i < first + leafCount[node]; i++) {
          const d = this.closestOnTriangle(order[i], px, py, pz, best, out);
          if (d < best) {
            best = d;
            found = true;
          }
        }
      } else {
        const dl = boxDistance(boxes, 6 * (node + 1), px, py, pz);
        const dr = boxDistance(boxes, 6 * l, px, py, pz);
        if (dl < dr) {
          if (dr < best) stack[top++] = l;
          if (dl < best) stack[top++] = node + 1;
        } else {
          if (dl < best) stack[top++] = node + 1;
          if (dr < best) stack[top++] = l;
        }
      }
    }
    return found;
  }

  private closestOnTriangle(t: number, px: number, py: number, pz: number, best: number, out: SurfaceHit): number {
    const { positions: p, indices } = this.mesh;
    const a = 3 * indices[3 * t];
    const b = 3 * indices[3 * t + 1];
    const c = 3 * indices[3 * t + 2];
    const ax = p[a];
    const ay = p[a + 1];
    const az = p[a + 2];
    const abx = p[b] - ax;
    const aby = p[b + 1] - ay;
    const abz = p[b + 2] - az;
    const acx = p[c] - ax;
    const acy = p[c + 1] - ay;
    const acz = p[c + 2] - az;
    const apx = px - ax;
    const apy = py - ay;
    const apz = pz - az;
    const d1 = abx * apx + aby * apy + abz * apz;
    const d2 = acx * apx + acy * apy + acz * apz;
    let v = 0;
    let w = 0;
    if (!(d1 <= 0 && d2 <= 0)) {
      const d11 = abx * abx + aby * aby + abz * abz;
      const d12 = abx * acx + aby * acy + abz * acz;
      const d22 = acx * acx + acy * acy + acz * acz;
      const d3 = d1 - d11;
      const d4 = d2 - d12;
      const d5 = d1 - d12;
      const d6 = d2 - d22;
      const vc = d1 * d4 - d3 * d2;
      const vb = d5 * d2 - d1 * d6;
      const va = d3 * d6 - d5 * d4;
      if (d3 >= 0 && d4 <= d3) {
        v = 1;
      } else if (d6 >= 0 && d5 <= d6) {
        w = 1;
      } else if (vc <= 0 && d1 >= 0 && d3 <= 0) {
        v = d1 / (d1 - d3);
      } else if (vb <= 0 && d2 >= 0 && d6 <= 0) {
        w = d2 / (d2 - d6);
      } else if (va <= 0 && d4 - d3 >= 0 && d5 - d6 >= 0) {
        w = (d4 - d3) / (d4 - d3 + (d5 - d6));
        v = 1 - w;
      } else {
        const s = 1 / (va + vb + vc);
        v = vb * s;
        w = vc * s;
      }
    }
    const x = ax + abx * v + acx * w;
    const y = ay + aby * v + acy * w;
    const z = az + abz * v + acz * w;
    const d = (x - px) * (x - px) + (y - py) * (y - py) + (z - pz) * (z - pz);
    if (d < best) {
      out.triangle = t;
      out.squaredDistance = d;
      out.x = x;
      out.y = y;
      out.z = z;
      out.v = v;
      out.w = w;
    }
    return d;
  }
}

function boxDistance(boxes: Float32Array, b: number, x: number, y: number, z: number): number {
  const dx = x < boxes[b] ? boxes[b] - x : x > boxes[b + 3] ? x - boxes[b + 3] : 0;
  const dy = y < boxes[b + 1] ? boxes[b + 1] - y : y > boxes[b + 4] ? y - boxes[b + 4] : 0;
  const dz = z < boxes[b + 2] ? boxes[b + 2] - z : z > boxes[b + 5] ? z - boxes[b + 5] : 0;
  return dx * dx + dy * dy + dz * dz;
}

/** Hoare's selection: puts the n-th smallest (by one coordinate) in its place, smaller ones before it. */
function selectNth(order: Uint32Array, lo: number, hi: number, n: number, keys: Float32Array, axis: number): void {
  while (lo < hi) {
    const pivot = keys[3 * order[(lo + hi) >> 1] + axis];
    let i = lo;
    let j = hi;
    while (i <= j) {
      while (keys[3 * order[i] + axis] < pivot) i++;
      while (keys[3 * order[j] + axis] > pivot) j--;
      if (i <= j) {
        const t = order[i];
        order[i] = order[j];
        order[j] = t;
        i++;
        j--;
      }
    }
    if (n <= j) hi = j;
    else if (n >= i) lo = i;
    else return;
  }
}
