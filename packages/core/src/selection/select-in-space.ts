import { BitSet } from '../geometry/bit-set.js';
import { invertRigid, transformPoint, transformPoints, rotateVector, type Vec3 } from '../math/mat4.js';
import { PointGrid } from '../spatial/point-grid.js';
import type { SelectableCloud } from './selectable-cloud.js';

/**
 * Points of every cloud within `radius` mm of any of some places (3 for each, in the view's frame). O(points).
 * @param known points that are known to be, and need not be looked at
 */
export function selectWithin(
  clouds: readonly SelectableCloud[],
  places: Float32Array,
  radius: number,
  known?: readonly BitSet[],
): BitSet[] {
  return clouds.map((cloud, k) => {
    const { positions: p, present } = cloud;
    const grid = new PointGrid(transformPoints(invertRigid(cloud.viewFromScan), places), radius);
    const out = known ? known[k].copy() : new BitSet(present.size);
    for (let i = 0, j = 0; i < present.size; i++, j += 3) {
      if (present.has(i) && !out.has(i) && grid.hasWithin(p[j], p[j + 1], p[j + 2], radius)) out.add(i);
    }
    return out;
  });
}

/** Points with `from` ≤ n · (x − place) ≤ `to`, mm, in the view's frame; n is unit. O(points). */
export function selectSlab(
  clouds: readonly SelectableCloud[],
  place: Vec3,
  normal: Vec3,
  from: number,
  to: number,
): BitSet[] {
  return clouds.map(({ positions: p, present, viewFromScan }) => {
    const scanFromView = invertRigid(viewFromScan);
    const [ox, oy, oz] = transformPoint(scanFromView, ...place);
    const [nx, ny, nz] = rotateVector(scanFromView, ...normal);
    const offset = nx * ox + ny * oy + nz * oz;
    const out = new BitSet(present.size);
    for (let i = 0, j = 0; i < present.size; i++, j += 3) {
      const d = nx * p[j] + ny * p[j + 1] + nz * p[j + 2] - offset;
      if (d >= from && d <= to && present.has(i)) out.add(i);
    }
    return out;
  });
}

/** Points inside a box with edges along the view's axes, mm. O(points). */
export function selectBox(clouds: readonly SelectableCloud[], min: Vec3, max: Vec3): BitSet[] {
  return clouds.map(({ positions: p, present, viewFromScan: m }) => {
    const out = new BitSet(present.size);
    for (let i = 0, j = 0; i < present.size; i++, j += 3) {
      const [a, b, c] = [p[j], p[j + 1], p[j + 2]];
      const x = m[0] * a + m[4] * b + m[8] * c + m[12];
      if (!(x >= min[0] && x <= max[0])) continue;
      const y = m[1] * a + m[5] * b + m[9] * c + m[13];
      if (!(y >= min[1] && y <= max[1])) continue;
      const z = m[2] * a + m[6] * b + m[10] * c + m[14];
      if (z >= min[2] && z <= max[2] && present.has(i)) out.add(i);
    }
    return out;
  });
}

/** The selection and every point within `radius` mm of one of its points, in whatever scan. O(points). */
export function growSelection(
  clouds: readonly SelectableCloud[],
  selected: readonly BitSet[],
  radius: number,
): BitSet[] {
  return selectWithin(clouds, pointsOf(clouds, selected), radius, selected);
}

/** The selection without the points within `radius` mm of a point that is not selected. O(points). */
export function shrinkSelection(
  clouds: readonly SelectableCloud[],
  selected: readonly BitSet[],
  radius: number,
): BitSet[] {
  const rest = clouds.map((c, k) => c.present.difference(selected[k]));
  const near = selectWithin(clouds, pointsOf(clouds, rest), radius, rest);
  return selected.map((s, k) => s.difference(near[k]));
}

/** Everything that is not selected. */
export function invertSelection(clouds: readonly SelectableCloud[], selected: readonly BitSet[]): BitSet[] {
  return clouds.map((c, k) => c.present.difference(selected[k]));
}

/** Points of some sets in the view's frame, 3 for each. */
function pointsOf(clouds: readonly SelectableCloud[], sets: readonly BitSet[]): Float32Array {
  const ids = sets.map((s) => s.toArray());
  const out = new Float32Array(3 * ids.reduce((n, a) => n + a.length, 0));
  let at = 0;
  clouds.forEach(({ positions: p, viewFromScan: m }, k) => {
    for (const i of ids[k]) {
      const [a, b, c] = [p[3 * i], p[3 * i + 1], p[3 * i + 2]];
      out[at++] = m[0] * a + m[4] * b + m[8] * c + m[12];
      out[at++] = m[1] * a + m[5] * b + m[9] * c + m[13];
      out[at++] = m[2] * a + m[6] * b + m[10] * c + m[14];
    }
  });
  return out;
}
