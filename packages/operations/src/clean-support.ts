import { defineOperation } from './operation.js';
import { countText } from './quantity-text.js';
import { eachScan, EachScanParams } from './each-scan.js';
import { ChoiceParam, LengthParam, RatioParam } from './params.js';

export class CleanSupportParams extends EachScanParams {
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
    more: true,
    min: 0.01,
    max: 0.9,
    help: 'A plane counts as support only if it holds at least this share of a scan’s points.',
  })
  minShare = 0.08;

  @ChoiceParam({
    title: 'Levels',
    more: true,
    help: 'Where the object stands on a board or step, the lower level beside it can go as well. Look at the result: an object with steps of its own looks alike.',
    choices: { one: 'The support alone', lower: 'Lower levels too' },
  })
  levels: 'one' | 'lower' = 'one';
}

export const cleanSupport = defineOperation({
  id: 'clean.support',
  version: 3,
  stage: 'clean',
  takesAway: true,
  title: 'Remove the support',
  help: 'Finds the table or floor under the object in each scan and removes it with the thin rim above it. What is lost at the foot is covered by another setup.',
  words: 'table floor turntable ground platform desk board plate under below stand',
  needs: ['scans'],
  gives: ['scans'],
  params: CleanSupportParams,
  reads: (params) => params.only,
  suggest: () => ({}),
  async run({ scans }, params, ctx) {
    const { withoutSupport } = await import('./without-support.js');
    const result = eachScan(scans, params, ctx, (scan, part) => {
      const r = withoutSupport(scan, { ...params, lowerLevels: params.levels === 'lower' }, part);
      return { scan: r.scan, counts: { removed: r.removed, supports: r.found ? 1 : 0 } };
    });
    return {
      outputs: { scans: result.scans },
      figures: { removedPoints: result.totals.removed, scansWithSupport: result.totals.supports, scans: result.worked },
    };
  },
  figures: {
    removedPoints: {
      kind: 'count',
      rank: 'headline',
      label: 'Points of the support',
      help: 'Points that were left out.',
    },
    scansWithSupport: {
      kind: 'count',
      rank: 'headline',
      label: 'Scans with a support',
      help: 'Scans in which a table or platform was found.',
    },
    scans: { kind: 'count', rank: 'detail', label: 'Scans', help: 'Scans that were looked at.' },
  },
  summarize: (f) =>
    `Support removed in ${f.scansWithSupport} of ${f.scans} scans: ${countText(f.removedPoints)} points`,
});
