import { pointCount, selectPoints } from '@amber-knit/core/geometry';
import { EachScanParams, eachScan } from '../src/each-scan.js';
import { defineOperation } from '../src/operation.js';
import { LengthParam } from '../src/params.js';
import { countText, shortCountText } from '../src/quantity-text.js';

export class CleanNearestParams extends EachScanParams {
  @LengthParam({ title: 'Farthest', min: 1, max: 10_000, help: 'Points farther from the origin of their scan go.' })
  farthest = 500;
}

/** Keeps what lies near the origin of each scan. O(points). */
export const cleanNearest = defineOperation({
  id: 'clean.nearest',
  version: 1,
  stage: 'clean',
  title: 'Keep what is near',
  help: 'Leaves out all points beyond a distance from the origin of their scan.',
  takesAway: true,
  needs: ['scans'],
  gives: ['scans'],
  params: CleanNearestParams,
  suggest: (s) => ({ farthest: Math.max(1, Math.round(2 * s.diagonal)) }),
  because: () => ({ farthest: 'Twice the size of a scan.' }),
  run({ scans }, params, ctx) {
    const result = eachScan(scans, params, ctx, (scan) => {
      const { positions: p } = scan.cloud;
      const near: number[] = [];
      for (let i = 0; i < p.length; i += 3)
        if (Math.hypot(p[i], p[i + 1], p[i + 2]) <= params.farthest) near.push(i / 3);
      const cloud = selectPoints(scan.cloud, Uint32Array.from(near));
      return { scan: { ...scan, cloud }, counts: { removed: pointCount(scan.cloud) - near.length } };
    });
    return Promise.resolve({
      outputs: { scans: result.scans },
      figures: { removedPoints: result.totals.removed, scans: result.worked },
    });
  },
  figures: {
    removedPoints: { kind: 'count', rank: 'headline', label: 'Points left out', help: 'They lay too far away.' },
    scans: { kind: 'count', rank: 'detail', label: 'Scans', help: 'Scans that were looked at.' },
  },
  summarize: (f) => `${countText(f.removedPoints)} points left out in ${f.scans} scans`,
  cell: (f) => ({ figure: `${shortCountText(f.removedPoints)} less`, detail: '' }),
});
