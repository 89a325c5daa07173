import { multiply } from '../math/mat4.js';
import type { PointRef } from './select-alike.js';
import type { ScreenView } from './select-on-screen.js';
import type { SelectableCloud } from './selectable-cloud.js';

/**
 * The point under a place of the picture (pixels): of those within `reach` pixels the nearest to the camera, where a
 * millimetre aside counts as much as eight in depth, so that steep surfaces too are hit where they are clicked. Undefined if there is none. O(points).
 */
export function pointAt(
  clouds: readonly SelectableCloud[],
  { clipFromView, width, height }: ScreenView,
  [px, py]: readonly [number, number],
  reach: number,
): PointRef | undefined {
  let best = Infinity;
  let found: PointRef | undefined;
  clouds.forEach(({ positions: p, present, viewFromScan }, cloud) => {
    const m = multiply(clipFromView, viewFromScan);
    const pixelPerMm = 0.5 * width * Math.hypot(m[0], m[4], m[8]);
    for (let i = 0, j = 0; i < present.size; i++, j += 3) {
      const [x, y, z] = [p[j], p[j + 1], p[j + 2]];
      const w = m[3] * x + m[7] * y + m[11] * z + m[15];
      if (!(w > 0) || w >= best) continue;
      const dx = 0.5 * width * (1 + (m[0] * x + m[4] * y + m[8] * z + m[12]) / w) - px;
      if (!(Math.abs(dx) <= reach)) continue;
      const dy = 0.5 * height * (1 - (m[1] * x + m[5] * y + m[9] * z + m[13]) / w) - py;
      const aside = Math.hypot(dx, dy);
      if (!(aside <= reach) || !present.has(i)) continue;
      const cost = w + (8 * aside * w) / pixelPerMm;
      if (cost >= best) continue;
      best = cost;
      found = { cloud, point: i };
    }
  });
  return found;
}
