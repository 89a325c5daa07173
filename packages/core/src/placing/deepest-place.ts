import TinyQueue from 'tinyqueue';
import type { Mat4, Vec3 } from '../math/mat4.js';
import type { Solid } from './solid.js';

/** A triangle of the one surface in the frame of the other, or a box of its hierarchy, and how deep it can lie at most. */
interface Part {
  bound: number;
  /** Nine numbers; nothing for a box. */
  corners?: Float64Array;
  node: number;
}

/** The deepest place of one surface within the other. */
export interface Deepest {
  depth: number;
  at: Vec3;
  /** The true depth is no more than this above it. */
  within: number;
}

/**
 * How deep a surface reaches into a solid at most. A depth changes by no more than one moves, so a box or a triangle round a
 * place can be no deeper than that place and its own size; what could be deepest is parted first. Over a triangle the depth
 * is no more than the way to the triangle of the solid that its middle is nearest to, which is largest at a corner: so faces
 * that lie evenly deep need not be parted to the end.
 * @param solidFromSurface how the surface lies in the frame of the solid
 * @param behind what lies deeper than this is not counted as within: it may be beside the thing, not in it; Infinity for none
 * @param precision parted until nothing can be deeper by more, mm
 * @param most places asked at most
 */
export function deepestPlace(
  surface: Solid,
  solid: Solid,
  solidFromSurface: Mat4,
  { behind, precision, most }: { behind: number; precision: number; most: number },
): Deepest | undefined {
  const m = solidFromSurface;
  const { bvh } = surface;
  const at: Vec3 = [0, 0, 0];
  let depth = 0;
  let asked = 0;
  const queue = new TinyQueue<Part>([], (a, b) => b.bound - a.bound);

  /** Depth at a place: above 0 within. */
  const depthAt = (x: number, y: number, z: number): number => {
    asked++;
    const d = -solid.signed(x, y, z);
    if (d > depth && d <= behind) {
      depth = d;
      at[0] = x;
      at[1] = y;
      at[2] = z;
    }
    return d;
  };
  const offerBox = (node: number): void => {
    const b = 6 * node;
    const { boxes } = bvh;
    const c = [0, 1, 2].map((k) => (boxes[b + k] + boxes[b + k + 3]) / 2);
    const radius = Math.hypot(...[0, 1, 2].map((k) => boxes[b + k + 3] - boxes[b + k])) / 2;
    const [x, y, z] = [0, 1, 2].map((k) => m[k] * c[0] + m[4 + k] * c[1] + m[8 + k] * c[2] + m[12 + k]);
    asked++;
    const d = -solid.signed(x, y, z);
    // Wholly deeper than counts, or wholly outside.
    if (d - radius > behind || d + radius <= depth) return;
    queue.push({ bound: d + radius, node });
  };
  const offerTriangle = (corners: Float64Array): void => {
    const c = [0, 1, 2].map((k) => (corners[k] + corners[3 + k] + corners[6 + k]) / 3);
    const radius = Math.max(
      ...[0, 3, 6].map((i) => Math.hypot(corners[i] - c[0], corners[i + 1] - c[1], corners[i + 2] - c[2])),
    );
    const d = depthAt(c[0], c[1], c[2]);
    if (d - radius > behind) return;
    let bound = d + radius;
    if (bound <= depth + precision) return;
    if (d > 0) {
      const { nearest } = solid;
      bound = Math.min(
        bound,
        Math.max(...[0, 3, 6].map((i) => solid.bvh.distanceTo(nearest, corners[i], corners[i + 1], corners[i + 2]))),
      );
    }
    if (bound > depth + precision) queue.push({ bound, corners, node: -1 });
  };

  if (bvh.nodes > 0) offerBox(0);
  for (;;) {
    const part = queue.pop();
    if (!part || part.bound <= depth + precision || asked >= most) {
      if (depth === 0) return undefined;
      return { depth, at, within: part ? Math.max(0, Math.min(part.bound, behind) - depth) : precision };
    }
    if (part.corners) for (const half of halves(part.corners)) offerTriangle(half);
    else if (bvh.link[part.node] >= 0) {
      offerBox(part.node + 1);
      offerBox(bvh.link[part.node]);
    } else {
      const first = -bvh.link[part.node] - 1;
      for (let i = first; i < first + bvh.leafCount[part.node]; i++) {
        const corners = new Float64Array(9);
        const { positions: p, indices } = bvh.mesh;
        for (let c = 0; c < 3; c++) {
          const v = 3 * indices[3 * bvh.order[i] + c];
          for (let k = 0; k < 3; k++)
            corners[3 * c + k] = m[k] * p[v] + m[4 + k] * p[v + 1] + m[8 + k] * p[v + 2] + m[12 + k];
          depthAt(corners[3 * c], corners[3 * c + 1], corners[3 * c + 2]);
        }
        offerTriangle(corners);
      }
    }
  }
}

/** A triangle in two, across its longest edge. */
function halves(t: Float64Array): [Float64Array, Float64Array] {
  const squared = (i: number, j: number): number =>
    (t[i] - t[j]) ** 2 + (t[i + 1] - t[j + 1]) ** 2 + (t[i + 2] - t[j + 2]) ** 2;
  const [a, b, c] = [squared(0, 3), squared(3, 6), squared(6, 0)];
  const [i, j] = a >= b && a >= c ? [0, 3] : b >= c ? [3, 6] : [6, 0];
  const [first, second] = [t.slice(), t.slice()];
  for (let k = 0; k < 3; k++) first[j + k] = second[i + k] = (t[i + k] + t[j + k]) / 2;
  return [first, second];
}
