import { vertexNormals } from '../../geometry/triangle-mesh.js';

/** An edge longer than so many times the usual one leads from one surface to another. */
const JUMP = 5;

/**
 * Normals of the points of a range picture, from the triangles between neighbouring cells; edges that jump in depth are
 * left out. They look along +Z on the whole: range pictures of this kind are seen from there (from memory). O(cells).
 * Source of the layout: Stanford Computer Graphics Laboratory (1996), PLY files with a range_grid element.
 * @param grid for each cell, row by row, the number of its point, or -1
 */
export function normalsFromGrid(
  positions: Float32Array,
  grid: Int32Array,
  columns: number,
  rows: number,
): Float32Array {
  const n = positions.length / 3;
  const at = (c: number, r: number): number => {
    const i = grid[r * columns + c];
    return i >= 0 && i < n ? i : -1;
  };
  const lengthOf = (a: number, b: number): number =>
    Math.hypot(...[0, 1, 2].map((k) => positions[3 * a + k] - positions[3 * b + k]));
  const edges: number[] = [];
  for (let r = 0; r < rows; r++) {
    for (let c = 0; c + 1 < columns; c++) {
      if (at(c, r) >= 0 && at(c + 1, r) >= 0) edges.push(lengthOf(at(c, r), at(c + 1, r)));
    }
  }
  const longest = JUMP * (Float64Array.from(edges).sort()[edges.length >> 1] ?? 0);
  const triangles: number[] = [];
  for (let r = 0; r + 1 < rows; r++) {
    for (let c = 0; c + 1 < columns; c++) {
      const [p, q, s, t] = [at(c, r), at(c + 1, r), at(c + 1, r + 1), at(c, r + 1)];
      for (const [i, j, k] of [
        [p, q, s],
        [p, s, t],
      ]) {
        if (i < 0 || j < 0 || k < 0) continue;
        if (Math.max(lengthOf(i, j), lengthOf(j, k), lengthOf(k, i)) <= longest) triangles.push(i, j, k);
      }
    }
  }
  const normals = vertexNormals({ positions, indices: Uint32Array.from(triangles) });
  let towards = 0;
  for (let i = 2; i < normals.length; i += 3) towards += normals[i];
  if (towards < 0) for (let i = 0; i < normals.length; i++) normals[i] = -normals[i];
  for (let i = 0; i < normals.length; i += 3) {
    if (normals[i] === 0 && normals[i + 1] === 0 && normals[i + 2] === 0) normals[i + 2] = 1;
  }
  return normals;
}
