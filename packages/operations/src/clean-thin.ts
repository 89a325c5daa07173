import { pointCount } from '@amber-knit/core/geometry';
import { defineOperation } from './operation.js';
import { countText, lengthText } from './quantity-text.js';
import { eachScan, EachScanParams } from './each-scan.js';
import { LengthParam } from './params.js';

export class CleanThinParams extends EachScanParams {
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
  version: 2,
  stage: 'clean',
  title: 'Thin out',
  help: 'Thins heavy scans to an even spacing and evens out noise while doing so.',
  words: 'downsample subsample sample cloud fewer points density heavy lighter slow',
  needs: ['scans'],
  gives: ['scans'],
  params: CleanThinParams,
  reads: (params) => params.only,
  suggest: (s) => ({ cell: Math.max(0.02, Math.round(150 * s.spacing) / 100) }),
  because: (s) => ({ cell: `One and a half times the spacing of the points, ${lengthText(s.spacing)}.` }),
  async run({ scans }, params, ctx) {
    const { thinByVoxel } = await import('@amber-knit/core/pointcloud');
    const result = eachScan(scans, params, ctx, (scan, part) => {
      part.checkpoint(0);
      const cloud = thinByVoxel(scan.cloud, params.cell).cloud;
      return { scan: { ...scan, cloud }, counts: { before: pointCount(scan.cloud), after: pointCount(cloud) } };
    });
    return {
      outputs: { scans: result.scans },
      figures: { pointsBefore: result.totals.before, pointsAfter: result.totals.after },
    };
  },
  figures: {
    pointsAfter: { kind: 'count', rank: 'headline', label: 'Points', help: 'Points now.' },
    pointsBefore: { kind: 'count', rank: 'detail', label: 'Points before', help: 'Points before.' },
  },
  summarize: (f) => `Thinned from ${countText(f.pointsBefore)} to ${countText(f.pointsAfter)} points`,
});
