import { isOpen, type SightGrid } from './sight-grid.js';

/** A side of a cell: the step to the neighbour, and the four corners in units of the cell, in order. */
const FACES: readonly { step: readonly [number, number, number]; corners: readonly (readonly number[])[] }[] = [
  [0, 1, 2],
  [1, 2, 0],
  [2, 0, 1],
].flatMap(([a, b, c]) =>
  [0, 1].map((side) => {
    const step: [number, number, number] = [0, 0, 0];
    step[a] = side === 0 ? -1 : 1;
    const corner = (u: number, v: number): number[] => {
      const p = [0, 0, 0];
      [p[a], p[b], p[c]] = [side, u, v];
      return p;
    };
    return { step, corners: [corner(0, 0), corner(1, 0), corner(1, 1), corner(0, 1)] };
  }),
);

/**
 * Outlines of a region of cells where it can be seen: the edges of the cells' sides towards empty space that belong to
 * one such side only. O(cells).
 *
 * @param cells indices into the grid
 * @returns segments, 6 numbers each, mm
 */
export function outlineOf(grid: SightGrid, cells: readonly number[]): Float32Array {
  const { size, state, origin, cell } = grid;
  const [nx, ny, nz] = size;
  // Corners are numbered as cells are, one more along each axis.
  const cornerAt = (x: number, y: number, z: number): number => (z * (ny + 1) + y) * (nx + 1) + x;
  const corners = (nx + 1) * (ny + 1) * (nz + 1);
  const edges = new Map<number, number>();
  for (const at of cells) {
    const i = at % nx;
    const j = Math.floor(at / nx) % ny;
    const k = Math.floor(at / (nx * ny));
    for (const { step, corners: around } of FACES) {
      const [x, y, z] = [i + step[0], j + step[1], k + step[2]];
      const inside = x >= 0 && y >= 0 && z >= 0 && x < nx && y < ny && z < nz;
      if (inside && !isOpen(state[(z * ny + y) * nx + x])) continue;
      const ids = around.map(([a, b, c]) => cornerAt(i + a, j + b, k + c));
      for (let e = 0; e < 4; e++) {
        const [p, q] = [ids[e], ids[(e + 1) % 4]];
        const key = Math.min(p, q) * corners + Math.max(p, q);
        edges.set(key, (edges.get(key) ?? 0) + 1);
      }
    }
  }
  const out: number[] = [];
  const place = (corner: number): void => {
    const at = [
      corner % (nx + 1),
      Math.floor(corner / (nx + 1)) % (ny + 1),
      Math.floor(corner / ((nx + 1) * (ny + 1))),
    ];
    for (let a = 0; a < 3; a++) out.push(origin[a] + at[a] * cell);
  };
  for (const [key, count] of edges) {
    if (count % 2 === 0) continue;
    place(Math.floor(key / corners));
    place(key % corners);
  }
  return Float32Array.from(out);
}
