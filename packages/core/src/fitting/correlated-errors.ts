import { estimateSpacing } from '../pointcloud/spacing.js';
import { PointGrid } from '../spatial/point-grid.js';

/** So many points are asked for how their errors go with those around them. */
const ASKED = 400;
/** Rings around a point, one spacing wide each. */
const RINGS = 12;
/** Below this share neighbours no longer go together. */
const APART = 0.1;

/**
 * By how much the variance of a mean exceeds that of independent errors: 1 plus the correlation of a point's error with
 * those around it, summed over rings until it fades. A fused surface smooths the noise of its scans: its vertices are
 * many, but fewer than that are worth their count.
 * @param errors one of each point
 * @returns at least 1
 */
export function correlationFactor(positions: Float32Array, errors: Float64Array, isUsed: Uint8Array): number {
  const places: number[] = [];
  for (let i = 0; i < isUsed.length; i++) if (isUsed[i]) places.push(i);
  if (places.length < 50) return 1;
  const used = new Float32Array(3 * places.length);
  let squares = 0;
  places.forEach((from, to) => {
    used.set(positions.subarray(3 * from, 3 * from + 3), 3 * to);
    squares += errors[from] * errors[from];
  });
  const variance = squares / places.length;
  if (!(variance > 0)) return 1;
  const step = Math.max(1, Math.floor(places.length / ASKED));
  const spacing = estimateSpacing({ positions: used });
  if (spacing === 0) return 1;
  const grid = new PointGrid(used, 3 * spacing);
  const products = new Float64Array(RINGS);
  const counts = new Float64Array(RINGS);
  const found = new Uint32Array(4096);
  const squared = new Float32Array(4096);
  let asked = 0;
  for (let i = 0; i < places.length; i += step, asked++) {
    const n = grid.within(used[3 * i], used[3 * i + 1], used[3 * i + 2], RINGS * spacing, found, squared);
    for (let k = 0; k < n; k++) {
      if (found[k] === i) continue;
      const ring = Math.min(RINGS - 1, Math.max(0, Math.ceil(Math.sqrt(squared[k]) / spacing - 0.5) - 1));
      products[ring] += errors[places[i]] * errors[places[found[k]]];
      counts[ring]++;
    }
  }
  let factor = 1;
  for (let ring = 0; ring < RINGS; ring++) {
    if (counts[ring] === 0) continue;
    const together = products[ring] / counts[ring] / variance;
    if (together < APART) break;
    factor += (together * counts[ring]) / asked;
  }
  return factor;
}
