/**
 * Triangulates a closed loop of points in space so that the patch has small area and turns gently where it meets the
 * surface. `forbidden(i, j)` tells which loop vertices must not be joined (they already are, elsewhere in the mesh).
 *
 * Sources: G. Barequet, M. Sharir (1995), Filling gaps in the boundary of a polyhedron (dynamic programme);
 * P. Liepa (2003), Filling holes in meshes (weight). Deviation: the weight is area plus a penalty on slender triangles
 * instead of the largest dihedral angle, and a penalty on folding back onto the surface. O(n³); loops above `DYNAMIC_LIMIT` are first shortened by cutting their
 * sharpest corners, O(n log n).
 *
 * @param loop 3n coordinates
 * @param outside unit normal of the surface beside the edge that leaves each point, 3n, zeros where there is none: a
 *   triangle that folds back onto it costs more
 * @returns triangles as loop positions, oriented along the loop; undefined if none exists
 */
export function triangulateLoop(
  loop: Float64Array,
  forbidden: (i: number, j: number) => boolean,
  outside?: Float64Array,
): number[] | undefined {
  const n = loop.length / 3;
  if (n < 3) return undefined;
  const alive = Array.from({ length: n }, (_, i) => i);
  const triangles: number[] = [];
  const beside = outside?.slice();
  if (n > DYNAMIC_LIMIT) clipCorners(loop, alive, triangles, forbidden, beside);
  const rest = dynamicTriangulation(loop, alive, forbidden, beside);
  if (!rest) return undefined;
  return triangles.concat(rest);
}

const DYNAMIC_LIMIT = 420;

/** Cross product of the sides of triangle a, b, c at a. */
const cross = new Float64Array(3);
function crossSides(p: Float64Array, a: number, b: number, c: number): Float64Array {
  const ux = p[3 * b] - p[3 * a];
  const uy = p[3 * b + 1] - p[3 * a + 1];
  const uz = p[3 * b + 2] - p[3 * a + 2];
  const vx = p[3 * c] - p[3 * a];
  const vy = p[3 * c + 1] - p[3 * a + 1];
  const vz = p[3 * c + 2] - p[3 * a + 2];
  cross[0] = uy * vz - uz * vy;
  cross[1] = uz * vx - ux * vz;
  cross[2] = ux * vy - uy * vx;
  return cross;
}

function area(p: Float64Array, a: number, b: number, c: number): number {
  const n = crossSides(p, a, b, c);
  return 0.5 * Math.sqrt(n[0] * n[0] + n[1] * n[1] + n[2] * n[2]);
}

function squared(p: Float64Array, a: number, b: number): number {
  return (p[3 * a] - p[3 * b]) ** 2 + (p[3 * a + 1] - p[3 * b + 1]) ** 2 + (p[3 * a + 2] - p[3 * b + 2]) ** 2;
}

function dynamicTriangulation(
  p: Float64Array,
  ring: number[],
  forbidden: (i: number, j: number) => boolean,
  outside?: Float64Array,
): number[] | undefined {
  const n = ring.length;
  if (n === 2) return [];
  const cost = new Float64Array(n * n).fill(Infinity);
  const split = new Int32Array(n * n).fill(-1);
  for (let i = 0; i + 1 < n; i++) cost[i * n + i + 1] = 0;
  const blocked = new Uint8Array(n * n);
  for (let i = 0; i < n; i++) {
    for (let j = i + 2; j < n; j++)
      if (!(i === 0 && j === n - 1) && forbidden(ring[i], ring[j])) blocked[i * n + j] = 1;
  }
  for (let width = 2; width < n; width++) {
    for (let i = 0; i + width < n; i++) {
      const k = i + width;
      if (blocked[i * n + k]) continue;
      let best = Infinity;
      let at = -1;
      for (let m = i + 1; m < k; m++) {
        const sum = cost[i * n + m] + cost[m * n + k];
        if (sum >= best) continue;
        let w =
          sum +
          area(p, ring[i], ring[m], ring[k]) +
          0.02 * (squared(p, ring[i], ring[m]) + squared(p, ring[m], ring[k]) + squared(p, ring[k], ring[i]));
        if (outside && w < best) {
          if (m === i + 1) w += foldCost(p, outside, ring[i], ring[m], ring[k]);
          if (k === m + 1) w += foldCost(p, outside, ring[m], ring[k], ring[i]);
          if (width === n - 1) w += foldCost(p, outside, ring[k], ring[i], ring[m]);
        }
        if (w < best) {
          best = w;
          at = m;
        }
      }
      cost[i * n + k] = best;
      split[i * n + k] = at;
    }
  }
  if (!Number.isFinite(cost[n - 1])) return undefined;
  const out: number[] = [];
  const stack = [[0, n - 1]];
  while (stack.length > 0) {
    const [i, k] = stack.pop()!;
    if (k - i < 2) continue;
    const m = split[i * n + k];
    out.push(ring[i], ring[m], ring[k]);
    stack.push([i, m], [m, k]);
  }
  return out;
}

/** What a triangle costs that lies flat on the surface beside it, in squares of the edge they share. */
const FOLD_COST = 40;

/** What it costs that triangle a, b, c folds back onto what lies beside edge a–b of the ring; nothing up to a right angle. */
function foldCost(p: Float64Array, outside: Float64Array, a: number, b: number, c: number): number {
  const n = crossSides(p, a, b, c);
  const l = Math.sqrt(n[0] * n[0] + n[1] * n[1] + n[2] * n[2]);
  const o = 3 * a;
  if (l === 0 || (outside[o] === 0 && outside[o + 1] === 0 && outside[o + 2] === 0)) return 0;
  const cosine = (n[0] * outside[o] + n[1] * outside[o + 1] + n[2] * outside[o + 2]) / l;
  return cosine > 0 ? 0 : FOLD_COST * cosine * cosine * squared(p, a, b);
}

/**
 * Cuts corners, the one with the shortest new edge first, until the ring is short enough for the dynamic programme. Beside a new
 * edge lies the triangle that was cut off: its normal is noted in `outside`.
 */
function clipCorners(
  p: Float64Array,
  ring: number[],
  triangles: number[],
  forbidden: (i: number, j: number) => boolean,
  outside?: Float64Array,
): void {
  const n = ring.length;
  const next = Int32Array.from({ length: n }, (_, i) => (i + 1) % n);
  const before = Int32Array.from({ length: n }, (_, i) => (i + n - 1) % n);
  const stamp = new Uint32Array(n);
  const heap: { cost: number; i: number; stamp: number }[] = [];
  const push = (i: number): void => {
    const folds = outside
      ? foldCost(p, outside, before[i], i, next[i]) + foldCost(p, outside, i, next[i], before[i])
      : 0;
    const cost = squared(p, before[i], next[i]) + folds;
    heap.push({ cost, i, stamp: stamp[i] });
    let c = heap.length - 1;
    while (c > 0) {
      const parent = (c - 1) >> 1;
      if (heap[parent].cost <= heap[c].cost) break;
      [heap[parent], heap[c]] = [heap[c], heap[parent]];
      c = parent;
    }
  };
  const pop = (): { cost: number; i: number; stamp: number } | undefined => {
    const top = heap[0];
    const last = heap.pop();
    if (heap.length > 0 && last) {
      heap[0] = last;
      let c = 0;
      for (;;) {
        let s = c;
        if (2 * c + 1 < heap.length && heap[2 * c + 1].cost < heap[s].cost) s = 2 * c + 1;
        if (2 * c + 2 < heap.length && heap[2 * c + 2].cost < heap[s].cost) s = 2 * c + 2;
        if (s === c) break;
        [heap[s], heap[c]] = [heap[c], heap[s]];
        c = s;
      }
    }
    return top;
  };
  for (let i = 0; i < n; i++) push(i);
  let alive = n;
  const dead = new Uint8Array(n);
  while (alive > DYNAMIC_LIMIT) {
    const top = pop();
    if (!top) break;
    const { i } = top;
    if (dead[i] || top.stamp !== stamp[i]) continue;
    const a = before[i];
    const b = next[i];
    if (forbidden(a, b)) continue;
    triangles.push(a, i, b);
    if (outside) noteNormal(p, a, i, b, outside);
    dead[i] = 1;
    alive--;
    next[a] = b;
    before[b] = a;
    stamp[a]++;
    stamp[b]++;
    push(a);
    push(b);
  }
  ring.length = 0;
  for (let i = 0; i < n; i++) if (!dead[i]) ring.push(i);
}

/** Writes the unit normal of triangle a, b, c at a; zeros if it has no area. */
function noteNormal(p: Float64Array, a: number, b: number, c: number, out: Float64Array): void {
  const n = crossSides(p, a, b, c);
  const l = Math.sqrt(n[0] * n[0] + n[1] * n[1] + n[2] * n[2]);
  for (let k = 0; k < 3; k++) out[3 * a + k] = l > 0 ? n[k] / l : 0;
}
