import type { TrustSheet } from '@amber-knit/core/fusion';
import { placeAlone, boundsOf, diagonalOf, hasPlace, type Placement, type Scan } from '@amber-knit/core/geometry';
import { eachScan, EachScanParams } from './each-scan.js';
import { OPERATION_IDS } from './operation-ids.js';
import { defineOperation } from './operation.js';
import { lengthText } from './quantity-text.js';
import { ChoiceParam, RatioParam } from './params.js';
import { rescaledScan } from './rescaled-scan.js';
import { UNITS } from './units.js';

export class CleanRescaleParams extends EachScanParams {
  @ChoiceParam({
    title: 'Their numbers are',
    help: 'The unit that the coordinates were really in when they were taken for millimetres; or a factor, such as a true length over the measured one.',
    choices: { cm: 'Centimetres', in: 'Inches', m: 'Metres', factor: 'Wrong by a factor' },
  })
  was: 'cm' | 'in' | 'm' | 'factor' = 'm';

  @RatioParam({
    title: 'Factor',
    help: 'All lengths are multiplied by it, if a factor was chosen.',
    min: 0.0001,
    max: 10_000,
  })
  factor = 1;
}

/** Multiplies the lengths of scans that came in with a wrong unit. */
export const cleanRescale = defineOperation({
  id: OPERATION_IDS.cleanRescale,
  version: 1,
  stage: 'clean',
  title: 'Correct the unit',
  help: 'Makes scans as large as they should be: for files whose unit was taken wrongly, or whose size is off by a known factor.',
  words: 'unit units inch inches metres centimetres millimetres scale size wrong too small too large times factor',
  needs: ['scans'],
  uses: ['placements', 'trust'],
  gives: ['scans'],
  params: CleanRescaleParams,
  suggest: () => ({}),
  run({ scans, placements = [], trust }, params, ctx) {
    const factor = params.was === 'factor' ? params.factor : UNITS[params.was];
    const across = (s: Scan): number => diagonalOf(boundsOf(s.cloud.positions));
    const before = Math.max(...scans.map(across));
    const { scans: left, worked } = eachScan(scans, params, ctx, (scan) => ({
      scan: rescaledScan(scan, factor),
      counts: {},
    }));
    const changed = new Set(left.filter((s, i) => s !== scans[i]).map((s) => s.name));
    const loosened = placements.filter((p) => hasPlace(p) && changed.has(p.name)).length;
    const all = placements.filter(hasPlace).every((p) => changed.has(p.name));
    if (loosened > 0 && !all)
      ctx.note(`${loosened} scans lost their place: the others keep their size. Register again.`);
    return Promise.resolve({
      outputs: {
        scans: left,
        ...(placements.length > 0 ? { placements: placements.map((p) => movedPlace(p, changed, all, factor)) } : {}),
        ...(trust && all ? { trust: grownTrust(trust, factor) } : {}),
      },
      figures: { scans: worked, factor, before, after: Math.max(...left.map(across)) },
    });
  },
  figures: {
    scans: { kind: 'count', rank: 'detail', label: 'Scans', help: 'Scans whose size was changed.' },
    factor: { kind: 'number', rank: 'detail', label: 'Factor', help: 'What every length was multiplied by.' },
    before: { kind: 'length', rank: 'detail', label: 'Across before', help: 'Diagonal of the largest scan before.' },
    after: { kind: 'length', rank: 'headline', label: 'Across', help: 'Diagonal of the largest scan now.' },
  },
  summarize: (f) =>
    `${f.scans} ${f.scans === 1 ? 'scan' : 'scans'} × ${f.factor}: up to ${lengthText(f.after)} across instead of ${lengthText(f.before)}`,
});

/** Places where scans are chosen grow with the piece. */
const grownTrust = ({ regions }: TrustSheet, factor: number): TrustSheet => ({
  regions: regions.map((r) => ({
    ...r,
    width: r.width * factor,
    balls: r.balls.map(([x, y, z, radius]) => [x * factor, y * factor, z * factor, radius * factor]),
  })),
});

/** If all scans that have a place grow together, they keep it; else those that grow come loose. */
function movedPlace(p: Placement, changed: ReadonlySet<string>, all: boolean, factor: number): Placement {
  if (!hasPlace(p) || !changed.has(p.name)) return p;
  const { locked, ...place } = placeAlone(p);
  const { residual } = p;
  if (!all) return { ...place, state: 'loose' };
  const pieceFromScan = p.pieceFromScan.slice();
  for (const k of [12, 13, 14]) pieceFromScan[k] *= factor;
  return {
    ...place,
    pieceFromScan,
    ...(locked ? { locked } : {}),
    ...(residual === undefined ? {} : { residual: residual * factor }),
  };
}
