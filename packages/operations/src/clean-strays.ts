import { sensorPositions } from '@amber-knit/core/geometry';
import { defineOperation } from './operation.js';
import { countText } from './quantity-text.js';
import { eachScan, EachScanParams } from './each-scan.js';
import { RatioParam } from './params.js';

export class CleanStraysParams extends EachScanParams {
  @RatioParam({
    title: 'Least density',
    min: 0,
    max: 1,
    help: 'A point stays if at least this share of the usual number of neighbours lies around it. Rims have about a quarter.',
  })
  densityRatio = 0.1;

  @RatioParam({
    title: 'Least piece',
    min: 0,
    max: 1,
    help: 'Loose pieces with less than this share of the largest piece’s points are dropped.',
  })
  pieceRatio = 0.002;

  @RatioParam({
    title: 'Flattest view',
    more: true,
    unit: '°',
    min: 45,
    max: 90,
    help: 'Points seen at a flatter angle than this are dropped, where normals are known. At 90° none are.',
  })
  maxIncidenceDeg = 90;
}

export const cleanStrays = defineOperation({
  id: 'clean.strays',
  version: 2,
  stage: 'clean',
  takesAway: true,
  title: 'Remove stray points',
  help: 'Drops points that stand alone, flying pixels at edges, and small loose pieces.',
  words: 'floating bits outliers specks crumbs dust isolated ghost flying pixels delete noise points',
  needs: ['scans'],
  gives: ['scans'],
  params: CleanStraysParams,
  reads: (params) => params.only,
  suggest: () => ({}),
  async run({ scans }, params, ctx) {
    const { removeStrayPoints } = await import('@amber-knit/core/pointcloud');
    const options = {
      densityRatio: params.densityRatio,
      pieceRatio: params.pieceRatio,
      maxIncidenceRad: (params.maxIncidenceDeg * Math.PI) / 180,
    };
    const result = eachScan(scans, params, ctx, (scan, part) => {
      const r = removeStrayPoints(scan.cloud, sensorPositions(scan), options, part);
      const removed = r.sparse + r.grazing + r.smallPieces;
      return { scan: removed > 0 ? { ...scan, cloud: r.cloud } : scan, counts: { removed } };
    });
    return {
      outputs: { scans: result.scans },
      figures: { removedPoints: result.totals.removed, scans: result.worked },
    };
  },
  figures: {
    removedPoints: {
      kind: 'count',
      rank: 'headline',
      label: 'Stray points',
      help: 'Points that were left out: far from all others, or in the air at an edge.',
    },
    scans: { kind: 'count', rank: 'detail', label: 'Scans', help: 'Scans that were looked at.' },
  },
  summarize: (f) => `${countText(f.removedPoints)} stray points removed in ${f.scans} scans`,
});
