import { FAILED_KINDS, type FailedKind, type FailedPlace } from '../geometry/light-model.js';
import type { TriangleMesh } from '../geometry/triangle-mesh.js';
import { DisjointSets } from '../spatial/disjoint-sets.js';
import { FOUND } from './detail-searcher.js';

/** Places that are listed one by one; there are seldom more. */
const MOST_LISTED = 2000;

/** Texels in which detail could not be carried over, by the triangles of the light surface. */
export interface FailedTexels {
  /** Per triangle so many texels of each kind, in the order of `FAILED_KINDS` (3m). */
  counts: Uint32Array;
  /** What a texel is on the surface, mm². */
  texelArea: number;
}

/** The kind that a state of a search stands for. */
export const kindOfState = (state: number): number => (state === FOUND ? -1 : state - 1);

/** Failed texels that hang together as places, the largest first. O(m). */
export function failedPlaces(
  { positions: p, indices }: TriangleMesh,
  { counts, texelArea }: FailedTexels,
): FailedPlace[] {
  const m = indices.length / 3;
  const sets = new DisjointSets(p.length / 3);
  const failed = (t: number): boolean => counts[3 * t] + counts[3 * t + 1] + counts[3 * t + 2] > 0;
  for (let t = 0; t < m; t++) {
    if (!failed(t)) continue;
    sets.union(indices[3 * t], indices[3 * t + 1]);
    sets.union(indices[3 * t], indices[3 * t + 2]);
  }
  const places = new Map<number, { of: number[]; triangles: number[]; sum: number[] }>();
  for (let t = 0; t < m; t++) {
    if (!failed(t)) continue;
    const root = sets.find(indices[3 * t]);
    let place = places.get(root);
    if (!place) places.set(root, (place = { of: [0, 0, 0], triangles: [], sum: [0, 0, 0] }));
    place.triangles.push(t);
    for (let k = 0; k < 3; k++) {
      place.of[k] += counts[3 * t + k];
      for (let j = 0; j < 3; j++) place.sum[k] += p[3 * indices[3 * t + j] + k] / 3;
    }
  }
  return Array.from(places.values(), ({ of, triangles, sum }): FailedPlace => {
    const place = sum.map((s) => s / triangles.length) as [number, number, number];
    let radius = 0;
    for (const t of triangles)
      for (let j = 0; j < 3; j++) {
        const v = 3 * indices[3 * t + j];
        radius = Math.max(radius, Math.hypot(p[v] - place[0], p[v + 1] - place[1], p[v + 2] - place[2]));
      }
    const kind: FailedKind = FAILED_KINDS[of.indexOf(Math.max(...of))];
    return { kind, place, radius, area: (of[0] + of[1] + of[2]) * texelArea };
  })
    .sort((a, b) => b.area - a.area)
    .slice(0, MOST_LISTED);
}
