import type { Mat4 } from '../math/mat4.js';
import { TriangleBvh } from './triangle-bvh.js';
import { emptyGap, triangleGap, type TriangleGap } from './triangle-gap.js';

/**
 * The shortest way between two surfaces of which one is moved about. Both hierarchies are gone down together, nearer boxes
 * first; the pair of triangles that was nearest last time tells at once how far one has to look this time.
 *
 * Source: E. Larsen, S. Gottschalk, M. Lin, D. Manocha (2000), Fast distance queries with rectangular swept sphere volumes
 * (the descent and the first guess; the boxes here are axis-aligned). O(log m) on surfaces that are clearly nearest at one
 * place, more where they lie along one another.
 */
export class SurfaceGap {
  private readonly p = new Float64Array(9);
  private readonly q = new Float64Array(9);
  private readonly moved = new Float64Array(6);
  private last: [number, number] | undefined;
  private stack: Float64Array = new Float64Array(3 * 512);
  private motion: Mat4 = new Float64Array(16);

  constructor(
    private readonly a: TriangleBvh,
    private readonly b: TriangleBvh,
  ) {}

  /**
   * @param bFromA how the first surface lies in the frame of the second; rigid
   * @param within nothing further off is looked for, mm
   * @param out places on the first surface and on the second, in the frame of the second; `squared` 0 where they meet
   * @returns the triangles of the first and of the second that come nearest; nothing if none do within
   */
  between(bFromA: Mat4, within: number, out: TriangleGap): [number, number] | undefined {
    this.motion = bFromA;
    out.squared = within * within;
    let best: [number, number] | undefined;
    if (this.last && this.pair(this.last[0], this.last[1], out)) best = this.last;
    const { a, b } = this;
    if (a.nodes === 0 || b.nodes === 0) return undefined;
    let top = this.push(0, 0, 0, 0);
    while (top > 0 && out.squared > 0) {
      top -= 3;
      const [na, nb, bound] = [this.stack[top], this.stack[top + 1], this.stack[top + 2]];
      if (bound >= out.squared) continue;
      const la = a.link[na];
      const lb = b.link[nb];
      if (la < 0 && lb < 0) {
        best = this.leaves(na, nb, out) ?? best;
        continue;
      }
      const downA = lb < 0 || (la >= 0 && extent(a.boxes, 6 * na) >= extent(b.boxes, 6 * nb));
      const [a1, b1, a2, b2] = downA ? [na + 1, nb, la, nb] : [na, nb + 1, na, lb];
      const d1 = this.bound(a1, b1);
      const d2 = this.bound(a2, b2);
      if (d1 < d2) {
        if (d2 < out.squared) top = this.push(top, a2, b2, d2);
        if (d1 < out.squared) top = this.push(top, a1, b1, d1);
      } else {
        if (d1 < out.squared) top = this.push(top, a1, b1, d1);
        if (d2 < out.squared) top = this.push(top, a2, b2, d2);
      }
    }
    this.last = best ?? this.last;
    return best;
  }

  private push(top: number, a: number, b: number, bound: number): number {
    if (top + 3 > this.stack.length) {
      const larger = new Float64Array(2 * this.stack.length);
      larger.set(this.stack);
      this.stack = larger;
    }
    this.stack[top] = a;
    this.stack[top + 1] = b;
    this.stack[top + 2] = bound;
    return top + 3;
  }

  private leaves(na: number, nb: number, out: TriangleGap): [number, number] | undefined {
    const { a, b } = this;
    let best: [number, number] | undefined;
    const fromA = -a.link[na] - 1;
    const fromB = -b.link[nb] - 1;
    for (let i = fromA; i < fromA + a.leafCount[na]; i++) {
      this.corners(a, a.order[i], this.p, this.motion);
      for (let j = fromB; j < fromB + b.leafCount[nb]; j++) {
        this.corners(b, b.order[j], this.q, undefined);
        if (boxesApart(this.p, this.q) >= out.squared) continue;
        if (triangleGap(this.p, this.q, out)) best = [a.order[i], b.order[j]];
      }
    }
    return best;
  }

  private pair(ta: number, tb: number, out: TriangleGap): boolean {
    this.corners(this.a, ta, this.p, this.motion);
    this.corners(this.b, tb, this.q, undefined);
    return triangleGap(this.p, this.q, out);
  }

  private corners(bvh: TriangleBvh, t: number, to: Float64Array, m: Mat4 | undefined): void {
    const { positions, indices } = bvh.mesh;
    for (let c = 0; c < 3; c++) {
      const v = 3 * indices[3 * t + c];
      const [x, y, z] = [positions[v], positions[v + 1], positions[v + 2]];
      for (let k = 0; k < 3; k++)
        to[3 * c + k] = m ? m[k] * x + m[4 + k] * y + m[8 + k] * z + m[12 + k] : positions[v + k];
    }
  }

  /** Square of the least distance between the boxes of two nodes, the first one's moved and boxed anew. */
  private bound(na: number, nb: number): number {
    const { motion: m, moved } = this;
    const { boxes } = this.a;
    const i = 6 * na;
    const cx = (boxes[i] + boxes[i + 3]) / 2;
    const cy = (boxes[i + 1] + boxes[i + 4]) / 2;
    const cz = (boxes[i + 2] + boxes[i + 5]) / 2;
    const [hx, hy, hz] = [boxes[i + 3] - cx, boxes[i + 4] - cy, boxes[i + 5] - cz];
    for (let k = 0; k < 3; k++) {
      const c = m[k] * cx + m[4 + k] * cy + m[8 + k] * cz + m[12 + k];
      const h = Math.abs(m[k]) * hx + Math.abs(m[4 + k]) * hy + Math.abs(m[8 + k]) * hz;
      moved[k] = c - h;
      moved[3 + k] = c + h;
    }
    const to = this.b.boxes;
    let sum = 0;
    for (let k = 0; k < 3; k++) {
      const d = Math.max(0, to[6 * nb + k] - moved[3 + k], moved[k] - to[6 * nb + 3 + k]);
      sum += d * d;
    }
    return sum;
  }
}

export { emptyGap, type TriangleGap };

function extent(boxes: Float32Array, b: number): number {
  return Math.max(boxes[b + 3] - boxes[b], boxes[b + 4] - boxes[b + 1], boxes[b + 5] - boxes[b + 2]);
}

/** Square of the least distance between the boxes of two triangles. */
function boxesApart(p: Float64Array, q: Float64Array): number {
  let sum = 0;
  for (let k = 0; k < 3; k++) {
    const low = Math.max(Math.min(p[k], p[k + 3], p[k + 6]), Math.min(q[k], q[k + 3], q[k + 6]));
    const high = Math.min(Math.max(p[k], p[k + 3], p[k + 6]), Math.max(q[k], q[k + 3], q[k + 6]));
    if (low > high) sum += (low - high) ** 2;
  }
  return sum;
}
