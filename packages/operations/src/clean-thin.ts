import { pointCount } from '@amber-knit/core/geometry';
import { defineOperation } from './operation.js';
import { count, eachScan } from './each-scan.js';
import { LengthParam } from './params.js';

export class CleanThinParams {
  @LengthParam({
    title: 'Cell',
    min: 0.02,
    max: 100,
    help: 'One point is kept per cube of this edge, as the mean of the points inside: thinner and less noisy.',
  })
  cell = 1;
}

export const cleanThin = defineOperation({
  id: 'clean.thin',
  version: 1,
  stage: 'clean',
  title: 'Thin out',
  help: 'Thins heavy scans to an even spacing and evens out noise while doing so.',
  needs: ['scans'],
  gives: ['scans'],
  params: CleanThinParams,
  suggest: (s) => ({ cell: Math.max(0.02, Math.round(150 * s.spacing) / 100) }),
  async run({ scans }, { cell }, ctx) {
    const { thinByVoxel } = await import('@amber-knit/core/pointcloud');
    const result = eachScan(scans, ctx, (scan, part) => {
      part.checkpoint(0);
      const cloud = thinByVoxel(scan.cloud, cell).cloud;
      return { scan: { ...scan, cloud }, counts: { before: pointCount(scan.cloud), after: pointCount(cloud) } };
    });
    return {
      outputs: { scans: result.scans },
      figures: { pointsBefore: result.totals.before, pointsAfter: result.totals.after },
    };
  },
  summarize: (f) => `Thinned from ${count(f.pointsBefore)} to ${count(f.pointsAfter)} points`,
});
