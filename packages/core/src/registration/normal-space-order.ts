import type { PointCloud } from '../geometry/point-cloud.js';

/** Directions are told apart by cells of a cube map, so many along each edge of a side (about 22° each). */
const CELLS = 4;
/** Points with less trust than this come last: on crisp edges they err together. */
const RELIABLE = 0.25;

/**
 * Order of a cloud's points in which every prefix has normals in all directions as evenly as the cloud allows: the few
 * points on small faces hold a scan where the many on large faces let it slide. Within one direction the order given is
 * kept.
 *
 * Source: S. Rusinkiewicz, M. Levoy (2001), Efficient variants of the ICP algorithm (normal-space sampling). O(n).
 *
 * @param shuffle indices in random order; `trust` see `surfaceTrust`
 */
export function normalSpaceOrder(cloud: PointCloud, shuffle: Uint32Array, trust: Float32Array): Uint32Array {
  const n = cloud.normals!;
  const bins: number[][] = Array.from({ length: 6 * CELLS * CELLS }, () => []);
  const last: number[] = [];
  for (const i of shuffle) {
    if (trust[i] < RELIABLE) last.push(i);
    else bins[directionCell(n[3 * i], n[3 * i + 1], n[3 * i + 2])].push(i);
  }
  const out = new Uint32Array(shuffle.length);
  let filled = 0;
  let open = bins.filter((bin) => bin.length > 0);
  for (let round = 0; open.length > 0; round++) {
    for (const bin of open) out[filled++] = bin[round];
    open = open.filter((bin) => bin.length > round + 1);
  }
  out.set(last, filled);
  return out;
}

/** Cell of a cube map that a direction falls into. */
function directionCell(x: number, y: number, z: number): number {
  const [a, b, c] = [Math.abs(x), Math.abs(y), Math.abs(z)];
  const axis = a >= b && a >= c ? 0 : b >= c ? 1 : 2;
  const [main, u, v] = axis === 0 ? [x, y, z] : axis === 1 ? [y, z, x] : [z, x, y];
  const cell = (t: number): number => Math.min(CELLS - 1, Math.floor(((t / Math.abs(main) + 1) / 2) * CELLS));
  return main === 0 ? 0 : ((2 * axis + (main > 0 ? 1 : 0)) * CELLS + cell(u)) * CELLS + cell(v);
}
