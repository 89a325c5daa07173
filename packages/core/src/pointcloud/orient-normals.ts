import type { RunContext } from '../runtime/run-context.js';
import { DisjointSets } from '../spatial/disjoint-sets.js';
import { PointGrid } from '../spatial/point-grid.js';
import { VoxelTable } from '../spatial/voxel-keys.js';
import { boundsOf, diagonalOf } from '../geometry/point-cloud.js';
import { estimateSpacing } from './spacing.js';

/** The side is worked out on this many representative points at most, about; the rest follow the nearest of them. */
const CELLS_ACROSS = 130;
/** Representatives within so many cells of one another are neighbours. */
const REACH = 2.2;
const MOST_NEIGHBOURS = 64;

/**
 * Turns normals of unknown side so that neighbours agree, and outwards on the whole: along the edges of a spanning tree
 * of near points that prefers parallel normals. Each separate part is turned away from the middle of all points. For
 * clouds of which nothing says where the sensor stood. O(n log n).
 *
 * Source: H. Hoppe, T. DeRose, T. Duchamp, J. McDonald, W. Stuetzle (1992), Surface reconstruction from unorganized
 * points. Deviation: the tree spans one point per cell of a grid instead of all points.
 * @param normals 3n, unit, of any side
 * @returns the same normals, turned, 3n
 */
export function orientNormals(positions: Float32Array, normals: Float32Array, ctx: RunContext): Float32Array {
  const box = boundsOf(positions);
  const cell = Math.max(3 * estimateSpacing({ positions }), diagonalOf(box) / CELLS_ACROSS) || 1;
  const chosen = onePerCell(positions, box.min, cell);
  const m = chosen.length;
  const places = new Float32Array(3 * m);
  chosen.forEach((i, s) => places.set(positions.subarray(3 * i, 3 * i + 3), 3 * s));
  const grid = new PointGrid(places, REACH * cell);
  const agreement = (a: number, b: number): number => {
    const [i, j] = [3 * chosen[a], 3 * chosen[b]];
    return normals[i] * normals[j] + normals[i + 1] * normals[j + 1] + normals[i + 2] * normals[j + 2];
  };
  ctx.checkpoint(0.2, 'Working out the outside');
  const tree = spanningTree(m, neighbourPairs(places, grid, REACH * cell), agreement);
  ctx.checkpoint(0.6, 'Working out the outside');
  const middle = [0, 1, 2].map((k) => (box.min[k] + box.max[k]) / 2);
  const signs = signsAlong(tree, m, agreement, (s) =>
    [0, 1, 2].reduce((d, k) => d + normals[3 * chosen[s] + k] * (places[3 * s + k] - middle[k]), 0),
  );
  const out = new Float32Array(normals.length);
  for (let i = 0; i < positions.length; i += 3) {
    if ((i & 0xffff) === 0) ctx.checkpoint(0.6 + (0.4 * i) / positions.length);
    const s = grid.nearest(positions[i], positions[i + 1], positions[i + 2], 2 * cell);
    const j = s >= 0 ? 3 * chosen[s] : i;
    const along = normals[i] * normals[j] + normals[i + 1] * normals[j + 1] + normals[i + 2] * normals[j + 2];
    const sign = (s >= 0 ? signs[s] : 1) * (along < 0 ? -1 : 1);
    for (let k = 0; k < 3; k++) out[i + k] = sign * normals[i + k];
  }
  return out;
}

/** The first point of each cell. */
function onePerCell(positions: Float32Array, min: readonly number[], cell: number): number[] {
  const table = new VoxelTable();
  const chosen: number[] = [];
  for (let i = 0; i < positions.length; i += 3) {
    const at = (k: number): number => Math.floor((positions[i + k] - min[k]) / cell);
    if (table.insert(at(0), at(1), at(2)) === chosen.length) chosen.push(i / 3);
  }
  return chosen;
}

/** Pairs of points within a radius, two numbers each, the smaller first. */
function neighbourPairs(places: Float32Array, grid: PointGrid, radius: number): Uint32Array {
  const m = places.length / 3;
  const found = new Uint32Array(MOST_NEIGHBOURS);
  const pairs: number[] = [];
  for (let s = 0; s < m; s++) {
    const count = grid.within(places[3 * s], places[3 * s + 1], places[3 * s + 2], radius, found);
    for (let k = 0; k < count; k++) if (found[k] > s) pairs.push(s, found[k]);
  }
  return Uint32Array.from(pairs);
}

/** Edges of the spanning forest with the most parallel normals (J. Kruskal 1956), two numbers each. */
function spanningTree(m: number, pairs: Uint32Array, agreement: (a: number, b: number) => number): number[] {
  const weights = Float32Array.from({ length: pairs.length / 2 }, (_, e) =>
    Math.abs(agreement(pairs[2 * e], pairs[2 * e + 1])),
  );
  const order = Uint32Array.from(weights, (_, e) => e).sort((a, b) => weights[b] - weights[a]);
  const sets = new DisjointSets(m);
  const tree: number[] = [];
  for (const e of order) if (sets.union(pairs[2 * e], pairs[2 * e + 1])) tree.push(pairs[2 * e], pairs[2 * e + 1]);
  return tree;
}

/** A sign for each point: neighbours in the tree agree, and the sum of `outward` is positive in each of its parts. */
function signsAlong(
  tree: number[],
  m: number,
  agreement: (a: number, b: number) => number,
  outward: (s: number) => number,
): Int8Array {
  const next: number[][] = Array.from({ length: m }, () => []);
  for (let e = 0; e < tree.length; e += 2) {
    next[tree[e]].push(tree[e + 1]);
    next[tree[e + 1]].push(tree[e]);
  }
  const signs = new Int8Array(m);
  for (let root = 0; root < m; root++) {
    if (signs[root] !== 0) continue;
    signs[root] = 1;
    const part = [root];
    let sum = 0;
    for (let at = 0; at < part.length; at++) {
      const s = part[at];
      sum += signs[s] * outward(s);
      for (const t of next[s]) {
        if (signs[t] !== 0) continue;
        signs[t] = agreement(s, t) < 0 ? -signs[s] : signs[s];
        part.push(t);
      }
    }
    if (sum < 0) for (const s of part) signs[s] = -signs[s];
  }
  return signs;
}
