import { writePly } from '@amber-knit/core/io';

/** A block of 60 × 40 × 20 in the file's unit, in squares of 2. */
export function block(): Uint8Array {
  const positions: number[] = [];
  const indices: number[] = [];
  const size = [60, 40, 20];
  for (let axis = 0; axis < 3; axis++)
    for (const side of [0, 1]) {
      const [u, v] = [(axis + 1) % 3, (axis + 2) % 3];
      const [n, m] = [size[u] / 2, size[v] / 2];
      const base = positions.length / 3;
      for (let i = 0; i <= n; i++)
        for (let j = 0; j <= m; j++) {
          const p = [0, 0, 0];
          p[axis] = side * size[axis];
          [p[u], p[v]] = [2 * i, 2 * j];
          positions.push(...p);
        }
      const at = (i: number, j: number): number => base + i * (m + 1) + j;
      for (let i = 0; i < n; i++)
        for (let j = 0; j < m; j++) {
          const corners = [at(i, j), at(i + 1, j), at(i + 1, j + 1), at(i, j + 1)];
          if (side === 0) corners.reverse();
          indices.push(corners[0], corners[1], corners[2], corners[0], corners[2], corners[3]);
        }
    }
  return writePly({ positions: Float32Array.from(positions), indices: Uint32Array.from(indices) });
}
