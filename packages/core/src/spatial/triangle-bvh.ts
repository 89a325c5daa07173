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

/** Takes what is not wanted. */
const NOWHERE: SurfaceHit = { triangle: 0, squaredDistance: 0, x: 0, y: 0, z: 0, v: 0, w: 0 };

/**
 * Bounding volume hierarchy over a mesh's triangles, split in the middle of space along a curve that fills it, and at the
 * median where many lie in one cell of that. Build O(m log m), most of it one sort of numbers; closest-point queries O(log m)
 * on usual surfaces.
 * Sources: C. Lauterbach et al. (2009), Fast BVH construction on GPUs (the order); C. Ericson (2005), Real-Time Collision
 * Detection, 5.1.5 (the closest point).
 */
export class TriangleBvh {
  /** Of each node: least x, y, z, then greatest. What goes down two hierarchies at once reads them too (`SurfaceGap`). */
  readonly boxes: Float32Array;
  /** For a leaf: -(first + 1); for an inner node: index of its right child (the left one follows the node). */
  readonly link: Int32Array;
  readonly leafCount: Uint8Array;
  readonly order: Uint32Array;
  nodes = 0;
  private readonly stack = new Int32Array(96);

  constructor(readonly mesh: TriangleMesh) {
    const m = mesh.indices.length / 3;
    const { positions: p, indices } = mesh;
    this.order = new Uint32Array(m);
    const centroid = new Float32Array(3 * m);
    for (let t = 0; t < m; t++) {
      for (let k = 0; k < 3; k++) {
        centroid[3 * t + k] =
          (p[3 * indices[3 * t] + k] + p[3 * indices[3 * t + 1] + k] + p[3 * indices[3 * t + 2] + k]) / 3;
      }
    }
    const codes = curveCodes(centroid);
    const { unit } = codes;
    for (let i = 0; i < m; i++) {
      const t = codes.sorted[i] % unit;
      this.order[i] = t;
      codes.sorted[i] = (codes.sorted[i] - t) / unit;
    }
    // A leaf holds one triangle at least.
    const capacity = Math.max(1, 2 * m);
    this.boxes = new Float32Array(6 * capacity);
    this.link = new Int32Array(capacity);
    this.leafCount = new Uint8Array(capacity);
    if (m > 0) this.build(0, m, codes.sorted, centroid);
  }

  private build(from: number, to: number, codes: Float64Array, centroid: Float32Array): number {
    const node = this.nodes++;
    if (to - from <= LEAF_SIZE) {
      this.link[node] = -(from + 1);
      this.leafCount[node] = to - from;
      this.boxOfLeaf(node, from, to);
      return node;
    }
    const mid = codes[from] < codes[to - 1] ? splitOf(codes, from, to) : this.halve(from, to, centroid);
    const left = this.build(from, mid, codes, centroid);
    const right = this.build(mid, to, codes, centroid);
    this.link[node] = right;
    const { boxes } = this;
    for (let k = 0; k < 3; k++) {
      const l = 6 * left + k;
      const r = 6 * right + k;
      boxes[6 * node + k] = boxes[l] < boxes[r] ? boxes[l] : boxes[r];
      boxes[6 * node + k + 3] = boxes[l + 3] > boxes[r + 3] ? boxes[l + 3] : boxes[r + 3];
    }
    return node;
  }

  /** Parts triangles that one cell of the curve holds at the median of their longest axis. */
  private halve(from: number, to: number, centroid: Float32Array): number {
    const { order } = this;
    let axis = 0;
    let widest = -1;
    for (let k = 0; k < 3; k++) {
      let low = Infinity;
      let high = -Infinity;
      for (let i = from; i < to; i++) {
        const x = centroid[3 * order[i] + k];
        if (x < low) low = x;
        if (x > high) high = x;
      }
      if (high - low > widest) {
        widest = high - low;
        axis = k;
      }
    }
    const mid = (from + to) >> 1;
    selectNth(order, from, to - 1, mid, centroid, axis);
    return mid;
  }

  private boxOfLeaf(node: number, from: number, to: number): void {
    const { positions: p, indices } = this.mesh;
    const { boxes, order } = this;
    for (let k = 0; k < 3; k++) {
      let low = Infinity;
      let high = -Infinity;
      for (let i = from; i < to; i++) {
        const t = 3 * order[i];
        for (let c = 0; c < 3; c++) {
          const x = p[3 * indices[t + c] + k];
          if (x < low) low = x;
          if (x > high) high = x;
        }
      }
      boxes[6 * node + k] = low;
      boxes[6 * node + 3 + k] = high;
    }
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

  /**
   * Visits every two triangles whose boxes meet, once, in no certain order: the hierarchy goes down against itself.
   * O(m + pairs) on usual surfaces.
   */
  overlapping(visit: (t: number, u: number) => void): void {
    if (this.nodes === 0) return;
    const own = this.triangleBoxes();
    const stack: number[] = [0, 0];
    while (stack.length > 0) {
      const b = stack.pop()!;
      const a = stack.pop()!;
      if (a !== b && !meet(this.boxes, 6 * a, this.boxes, 6 * b)) continue;
      const la = this.link[a];
      const lb = this.link[b];
      if (la < 0 && lb < 0) this.leavesOverlap(a, b, own, visit);
      else if (a === b) stack.push(a + 1, a + 1, la, la, a + 1, la);
      else if (lb < 0 || (la >= 0 && this.extent(a) > this.extent(b))) stack.push(a + 1, b, la, b);
      else stack.push(a, b + 1, a, lb);
    }
  }

  private leavesOverlap(a: number, b: number, own: Float32Array, visit: (t: number, u: number) => void): void {
    const { order, link, leafCount } = this;
    const fromA = -link[a] - 1;
    const fromB = -link[b] - 1;
    for (let i = fromA; i < fromA + leafCount[a]; i++) {
      for (let j = a === b ? i + 1 : fromB; j < fromB + leafCount[b]; j++) {
        if (meet(own, 6 * i, own, 6 * j)) visit(order[i], order[j]);
      }
    }
  }

  /** Least and greatest coordinates of the triangles, in the order of the leaves. */
  private triangleBoxes(): Float32Array {
    const { positions: p, indices } = this.mesh;
    const out = new Float32Array(6 * this.order.length);
    for (let i = 0; i < this.order.length; i++) {
      const t = 3 * this.order[i];
      for (let k = 0; k < 3; k++) {
        const x = p[3 * indices[t] + k];
        const y = p[3 * indices[t + 1] + k];
        const z = p[3 * indices[t + 2] + k];
        out[6 * i + k] = x < y ? (x < z ? x : z) : y < z ? y : z;
        out[6 * i + 3 + k] = x > y ? (x > z ? x : z) : y > z ? y : z;
      }
    }
    return out;
  }

  private extent(node: number): number {
    const { boxes } = this;
    const b = 6 * node;
    return Math.max(boxes[b + 3] - boxes[b], boxes[b + 4] - boxes[b + 1], boxes[b + 5] - boxes[b + 2]);
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

  /**
   * Distance along a ray (unit direction) to the first triangle that it meets within `most`; -1 if there is none.
   * Source: T. Möller, B. Trumbore (1997), Fast, minimum storage ray/triangle intersection.
   */
  firstHit(from: ArrayLike<number>, direction: ArrayLike<number>, most: number): number {
    const { boxes, link, leafCount, order, stack } = this;
    const [ox, oy, oz] = [from[0], from[1], from[2]];
    const [ix, iy, iz] = [1 / direction[0], 1 / direction[1], 1 / direction[2]];
    let best = most;
    let found = false;
    let top = 0;
    if (this.nodes > 0) stack[top++] = 0;
    while (top > 0) {
      const node = stack[--top];
      const k = 6 * node;
      // A direction along an axis makes infinities, which compare as they should; 0 · ∞ (NaN) must not shut a box out.
      const x0 = (boxes[k] - ox) * ix;
      const x1 = (boxes[k + 3] - ox) * ix;
      const y0 = (boxes[k + 1] - oy) * iy;
      const y1 = (boxes[k + 4] - oy) * iy;
      const z0 = (boxes[k + 2] - oz) * iz;
      const z1 = (boxes[k + 5] - oz) * iz;
      let near = 0;
      let far = best;
      if (Math.min(x0, x1) > near) near = Math.min(x0, x1);
      if (Math.max(x0, x1) < far) far = Math.max(x0, x1);
      if (Math.min(y0, y1) > near) near = Math.min(y0, y1);
      if (Math.max(y0, y1) < far) far = Math.max(y0, y1);
      if (Math.min(z0, z1) > near) near = Math.min(z0, z1);
      if (Math.max(z0, z1) < far) far = Math.max(z0, z1);
      if (near > far) continue;
      const l = link[node];
      if (l >= 0) {
        stack[top++] = l;
        stack[top++] = node + 1;
        continue;
      }
      for (let i = -l - 1; i < -l - 1 + leafCount[node]; i++) {
        const d = this.along(order[i], from, direction);
        if (d >= 0 && d < best) {
          best = d;
          found = true;
        }
      }
    }
    return found ? best : -1;
  }

  /** Distance along a ray to a triangle; -1 if it misses it. */
  private along(t: number, from: ArrayLike<number>, direction: ArrayLike<number>): number {
    const { positions: p, indices } = this.mesh;
    const a = 3 * indices[3 * t];
    const b = 3 * indices[3 * t + 1];
    const c = 3 * indices[3 * t + 2];
    const [dx, dy, dz] = [direction[0], direction[1], direction[2]];
    const [ux, uy, uz] = [p[b] - p[a], p[b + 1] - p[a + 1], p[b + 2] - p[a + 2]];
    const [vx, vy, vz] = [p[c] - p[a], p[c + 1] - p[a + 1], p[c + 2] - p[a + 2]];
    const hx = dy * vz - dz * vy;
    const hy = dz * vx - dx * vz;
    const hz = dx * vy - dy * vx;
    const det = ux * hx + uy * hy + uz * hz;
    if (det === 0) return -1;
    const [sx, sy, sz] = [from[0] - p[a], from[1] - p[a + 1], from[2] - p[a + 2]];
    const v = (sx * hx + sy * hy + sz * hz) / det;
    // A hair beyond the edges, so that no ray slips through between two triangles.
    if (v < -1e-9 || v > 1 + 1e-9) return -1;
    const qx = sy * uz - sz * uy;
    const qy = sz * ux - sx * uz;
    const qz = sx * uy - sy * ux;
    const w = (dx * qx + dy * qy + dz * qz) / det;
    if (w < -1e-9 || v + w > 1 + 1e-9) return -1;
    return (vx * qx + vy * qy + vz * qz) / det;
  }

  /** Distance of a place to one triangle, mm. */
  distanceTo(t: number, x: number, y: number, z: number): number {
    return Math.sqrt(this.closestOnTriangle(t, x, y, z, -1, NOWHERE));
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

/** Whether two boxes have a place in common. */
function meet(p: Float32Array, a: number, q: Float32Array, b: number): boolean {
  return (
    p[a] <= q[b + 3] &&
    q[b] <= p[a + 3] &&
    p[a + 1] <= q[b + 4] &&
    q[b + 1] <= p[a + 4] &&
    p[a + 2] <= q[b + 5] &&
    q[b + 2] <= p[a + 5]
  );
}

function boxDistance(boxes: Float32Array, b: number, x: number, y: number, z: number): number {
  const dx = x < boxes[b] ? boxes[b] - x : x > boxes[b + 3] ? x - boxes[b + 3] : 0;
  const dy = y < boxes[b + 1] ? boxes[b + 1] - y : y > boxes[b + 4] ? y - boxes[b + 4] : 0;
  const dz = z < boxes[b + 2] ? boxes[b + 2] - z : z > boxes[b + 5] ? z - boxes[b + 5] : 0;
  return dx * dx + dy * dy + dz * dz;
}

/**
 * Numbers of the cells that places lie in, along a curve that keeps near ones together, sorted; each is the cell's number
 * times `unit` plus the place's. As many cells as the mesh needs and a number can hold.
 * Source: G. Morton (1966), A computer oriented geodetic data base.
 */
function curveCodes(places: Float32Array): { sorted: Float64Array; unit: number } {
  const n = places.length / 3;
  const indexBits = Math.ceil(Math.log2(Math.max(2, n)));
  // A surface of n triangles fills some √n cells along an axis; a few times that, and crowded cells are halved anyway.
  const bits = Math.min(Math.ceil(indexBits / 2) + 3, Math.floor((53 - indexBits) / 3));
  const low = [Infinity, Infinity, Infinity];
  let size = 0;
  for (let k = 0; k < 3; k++) {
    let high = -Infinity;
    for (let i = k; i < places.length; i += 3) {
      if (places[i] < low[k]) low[k] = places[i];
      if (places[i] > high) high = places[i];
    }
    size = Math.max(size, high - low[k]);
  }
  const scale = size > 0 ? (2 ** bits - 1) / size : 0;
  const unit = 2 ** indexBits;
  const spread = new Float64Array(2 ** bits);
  for (let c = 0; c < spread.length; c++) {
    let sum = 0;
    for (let b = 0; b < bits; b++) if ((c >> b) & 1) sum += 8 ** b;
    spread[c] = sum;
  }
  const sorted = new Float64Array(n);
  for (let i = 0; i < n; i++) {
    const x = spread[((places[3 * i] - low[0]) * scale) | 0];
    const y = spread[((places[3 * i + 1] - low[1]) * scale) | 0];
    const z = spread[((places[3 * i + 2] - low[2]) * scale) | 0];
    sorted[i] = (x + 2 * y + 4 * z) * unit + i;
  }
  return { sorted: sorted.sort(), unit };
}

/** The first place in sorted codes whose highest bit differs, of those that are not the same in all. */
function splitOf(codes: Float64Array, from: number, to: number): number {
  const first = codes[from];
  const last = codes[to - 1];
  // The greatest power of two at which the two differ: the last code rounded down to it parts them.
  let power = 2 ** Math.floor(Math.log2(last - first));
  while (Math.floor(first / (2 * power)) !== Math.floor(last / (2 * power))) power *= 2;
  const part = Math.floor(last / power) * power;
  let low = from;
  let high = to - 1;
  while (low < high) {
    const mid = (low + high) >> 1;
    if (codes[mid] < part) low = mid + 1;
    else high = mid;
  }
  return low;
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
