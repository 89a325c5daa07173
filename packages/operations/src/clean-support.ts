import { sensorPositions } from '@amber-knit/core/geometry';
import { defineOperation } from './operation.js';
import { count, eachScan } from './each-scan.js';
import { LengthParam, RatioParam } from './params.js';

export class CleanSupportParams {
  @LengthParam({
    title: 'Clearance',
    min: 0,
    max: 50,
    help: 'Points up to this height above the support go with it; empty or 0 takes it from the noise of the support.',
    whenEmpty: 'auto',
  })
  clearance = 0;

  @RatioParam({
    title: 'Least share',
    min: 0.01,
    max: 0.9,
    help: 'A plane counts as support only if it holds at least this share of a scan’s points.',
  })
  minShare = 0.08;
}

export const cleanSupport = defineOperation({
  id: 'clean.support',
  version: 1,
  stage: 'clean',
  title: 'Remove the support',
  help: 'Finds the table or floor under the object in each scan and removes it with the thin rim above it. What is lost at the foot is covered by another setup.',
  needs: ['scans'],
  gives: ['scans'],
  params: CleanSupportParams,
  suggest: () => ({}),
  async run({ scans }, params, ctx) {
    const { removeSupportPlane, thinByVoxel, estimateSpacing } = await import('@amber-knit/core/pointcloud');
    const { filterPoints } = await import('@amber-knit/core/geometry');
    const result = eachScan(scans, ctx, (scan, part) => {
      const r = removeSupportPlane(scan.cloud, sensorPositions(scan), params, part);
      if (!r.plane) return { scan, counts: { removed: 0, supports: 0 } };
      // The support stays as proof that the space above it is empty (see Scan.backdrop).
      const gone = filterPoints(
        { positions: scan.cloud.positions },
        r.keep.map((k) => (k ? 0 : 1)),
      );
      const backdrop = thinByVoxel(gone, 2.5 * estimateSpacing(scan.cloud)).cloud.positions;
      return { scan: { ...scan, cloud: r.cloud, backdrop }, counts: { removed: r.removed, supports: 1 } };
    });
    return {
      outputs: { scans: result.scans },
      figures: { removedPoints: result.totals.removed, scansWithSupport: result.totals.supports, scans: scans.length },
    };
  },
  summarize: (f) => `Support removed in ${f.scansWithSupport} of ${f.scans} scans: ${count(f.removedPoints)} points`,
});
