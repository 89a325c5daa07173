import { VoxelTable } from '../spatial/voxel-keys.js';
import type { SelectableCloud } from './selectable-cloud.js';

/** A part of the surface, about as wide as the cell it was looked for with. */
export interface WorstPlace {
  /** Its middle, in the view's frame. */
  place: [number, number, number];
  /** Mean of the values there. */
  mean: number;
  points: number;
}

/** Fewer measured points than this are no place. */
const LEAST_POINTS = 20;

/**
 * Where values are highest on average: the cubes of edge `cell` (mm) with the highest means, no two of them neighbours,
 * the worst first. Points whose value is NaN count nowhere. O(points).
 */
export function worstPlaces(
  clouds: readonly SelectableCloud[],
  values: readonly Float32Array[],
  cell: number,
  most: number,
): WorstPlace[] {
  const table = new VoxelTable();
  const coords: number[] = [];
  const sums: number[] = [];
  clouds.forEach(({ positions: p, viewFromScan: m }, k) => {
    const value = values[k];
    for (let i = 0, j = 0; i < value.length; i++, j += 3) {
      if (Number.isNaN(value[i])) continue;
      const x = m[0] * p[j] + m[4] * p[j + 1] + m[8] * p[j + 2] + m[12];
      const y = m[1] * p[j] + m[5] * p[j + 1] + m[9] * p[j + 2] + m[13];
      const z = m[2] * p[j] + m[6] * p[j + 1] + m[10] * p[j + 2] + m[14];
      const [a, b, c] = [Math.floor(x / cell), Math.floor(y / cell), Math.floor(z / cell)];
      const before = table.size;
      const at = table.insert(a, b, c);
      if (table.size > before) {
        coords.push(a, b, c);
        sums.push(0, 0, 0, 0, 0);
      }
      sums[5 * at]++;
      sums[5 * at + 1] += value[i];
      sums[5 * at + 2] += x;
      sums[5 * at + 3] += y;
      sums[5 * at + 4] += z;
    }
  });
  const cells = Array.from({ length: table.size }, (_, i) => i).filter((i) => sums[5 * i] >= LEAST_POINTS);
  cells.sort((a, b) => sums[5 * b + 1] / sums[5 * b] - sums[5 * a + 1] / sums[5 * a]);
  const chosen: number[] = [];
  for (const i of cells) {
    if (chosen.length === most) break;
    const beside = (o: number): boolean => [0, 1, 2].every((k) => Math.abs(coords[3 * o + k] - coords[3 * i + k]) <= 1);
    if (!chosen.some(beside)) chosen.push(i);
  }
  return chosen.map((i) => {
    const [n, sum, x, y, z] = sums.slice(5 * i, 5 * i + 5);
    return { place: [x / n, y / n, z / n], mean: sum / n, points: n };
  });
}
