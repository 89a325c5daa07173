import { transformPoint, type Vec3 } from '../math/mat4.js';
import { PlaneFit } from '../math/plane-fit.js';
import type { PointRef } from './select-alike.js';
import type { SelectableCloud } from './selectable-cloud.js';

/** Spacings around the point that the first plane is fitted to, and how often the reach is doubled after. */
const FIRST_REACH = 8;
const ROUNDS = 4;

/**
 * The plane that the surface around a point lies in: fitted by least squares to a small neighbourhood, then, with the
 * points that stay within `tolerance` mm of it, to twice the reach, and so on. In the view's frame; the normal looks to
 * the side of `eye`. Undefined if fewer than three points lie there. O(points).
 */
export function planeAround(
  clouds: readonly SelectableCloud[],
  seed: PointRef,
  tolerance: number,
  eye: Vec3,
): { place: Vec3; normal: Vec3 } | undefined {
  const { positions, viewFromScan, spacing } = clouds[seed.cloud];
  const at = 3 * seed.point;
  const start = transformPoint(viewFromScan, positions[at], positions[at + 1], positions[at + 2]);
  let place = start;
  let normal: Vec3 | undefined;
  let reach = FIRST_REACH * spacing;
  for (let round = 0; round < ROUNDS; round++, reach *= 2) {
    const fit = new PlaneFit();
    for (const { positions: p, present, viewFromScan: m } of clouds) {
      for (let i = 0, j = 0; i < present.size; i++, j += 3) {
        const x = m[0] * p[j] + m[4] * p[j + 1] + m[8] * p[j + 2] + m[12] - start[0];
        if (!(x >= -reach && x <= reach)) continue;
        const y = m[1] * p[j] + m[5] * p[j + 1] + m[9] * p[j + 2] + m[13] - start[1];
        if (!(y >= -reach && y <= reach)) continue;
        const z = m[2] * p[j] + m[6] * p[j + 1] + m[10] * p[j + 2] + m[14] - start[2];
        if (x * x + y * y + z * z > reach * reach || !present.has(i)) continue;
        if (normal) {
          const [dx, dy, dz] = [x + start[0] - place[0], y + start[1] - place[1], z + start[2] - place[2]];
          if (Math.abs(normal[0] * dx + normal[1] * dy + normal[2] * dz) > tolerance) continue;
        }
        fit.add(x, y, z);
      }
    }
    if (fit.count < 3) break;
    const found = fit.solve();
    normal = found.normal;
    place = [start[0] + found.middle[0], start[1] + found.middle[1], start[2] + found.middle[2]];
  }
  if (!normal) return undefined;
  const n = normal;
  const towards = n[0] * (eye[0] - place[0]) + n[1] * (eye[1] - place[1]) + n[2] * (eye[2] - place[2]);
  return { place, normal: towards < 0 ? [-n[0], -n[1], -n[2]] : n };
}
