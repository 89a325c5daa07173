import { diagonalOf, boundsOf, loosePlacement, type Placement, type Scan } from '@amber-knit/core/geometry';
import { identity, transformPoint, type Vec3 } from '@amber-knit/core/math';
import { GeometryError } from '@amber-knit/core/runtime';
import { scanNamed } from './each-scan.js';
import { defineOperation } from './operation.js';
import { FlagParam, PairsParam, TextParam, type PickedPair } from './params.js';
import { noteDoubts, registrationFigures, summarizeRegistration } from './register-automatic.js';

export class RegisterPairsParams {
  @TextParam({ title: 'Scan', help: 'The scan that is moved.' })
  scan = '';

  @PairsParam({
    title: 'Pairs',
    help: 'At least three places, each picked in the scan that is moved and in one that stays.',
  })
  pairs: PickedPair[] = [];

  @FlagParam({
    title: 'Fit finely',
    help: 'Fits all placed scans together afterwards, starting from the picked places.',
  })
  refine = true;
}

/** Overlap with the others, as a share of its points, below which a scan is not called registered. */
const LEAST_OVERLAP = 0.05;

export const registerPairs = defineOperation({
  id: 'register.pairs',
  version: 1,
  stage: 'register',
  title: 'Place by picked pairs',
  help: 'Puts a scan where the same places were picked by hand in it and in scans that stay, then fits all together.',
  byHand: true,
  needs: ['scans'],
  uses: ['placements'],
  gives: ['placements'],
  params: RegisterPairsParams,
  suggest: () => ({}),
  async run({ scans, placements = [] }, params, ctx) {
    const { fitPairs, refinePlacements } = await import('@amber-knit/core/registration');
    const moving = scanNamed(scans, params.scan);
    const before = withReference(scans, placements, params);
    const placeOf = new Map(before.map((p) => [p.name, p]));
    const fit = fitPairs(
      params.pairs.map(({ from, scan, onto }) => ({
        from: from as Vec3,
        onto: transformPoint(placeOf.get(scan)!.pieceFromScan, ...(onto as Vec3)),
      })),
      diagonalOf(boundsOf(moving.cloud.positions)),
    );
    const placed: Placement = { name: moving.name, state: 'placed', pieceFromScan: fit.ontoFromFrom };
    const roughly = before.map((p) => (p.name === moving.name ? placed : p));
    const figures = { pickedPairs: params.pairs.length, pickedRms: fit.rms };
    if (!params.refine) {
      const counts = { placements: roughly, reference: '', residuals: [], doubts: [], rms: fit.rms, worstRms: fit.rms };
      return {
        outputs: { placements: roughly },
        figures: { ...registrationFigures({ ...counts, converged: true, convergence: [] }), ...figures },
      };
    }
    const reference = before.find((p) => p.state === 'registered' && p.name !== moving.name)?.name ?? '';
    const result = await refinePlacements(scans, roughly, { reference }, ctx);
    const agreement = result.agreementOf(moving.name);
    const own = result.placements.find((p) => p.name === moving.name)!;
    if (agreement && (agreement.overlap < LEAST_OVERLAP || agreement.quality <= 0)) {
      own.state = 'placed';
      const percent = (v: number): string => `${(100 * v).toFixed(1)} %`;
      ctx.note(
        `${moving.name} lies on the others with ${percent(agreement.overlap)} of its points and contradicts them with ` +
          `${percent(agreement.contradicted)}: it stays placed, not registered. Check the picks.`,
      );
    } else {
      noteDoubts(
        result.doubts.filter((d) => d.scans.includes(moving.name)),
        ctx,
      );
    }
    return { outputs: { placements: result.placements }, figures: { ...registrationFigures(result), ...figures } };
  },
  summarize: (f) => summarizeRegistration(f),
});

/**
 * Placements of all scans, in which those that were picked on have a place: if none has one yet, the scan picked on
 * becomes the reference.
 * @throws GeometryError `invalid-parameter` if there are too few pairs, or pairs on a scan that is loose or the moved one
 */
function withReference(scans: Scan[], placements: Placement[], { scan, pairs }: RegisterPairsParams): Placement[] {
  const fault = (text: string): GeometryError => new GeometryError('invalid-parameter', text);
  if (pairs.length < 3) throw fault(`${pairs.length} pairs were picked; a place needs at least three.`);
  const all = scans.map((s) => placements.find((p) => p.name === s.name) ?? loosePlacement(s.name));
  const targets = [...new Set(pairs.map((p) => p.scan))];
  for (const name of targets) scanNamed(scans, name);
  if (targets.includes(scan))
    throw fault(`Both places of a pair were picked in ${scan}. Pick one in a scan that stays.`);
  const stays = (p: Placement): boolean => p.state === 'registered' || p.state === 'placed';
  if (!all.some((p) => stays(p) && p.name !== scan) && targets.length === 1) {
    return all.map((p) => (p.name === targets[0] ? { ...p, state: 'registered', pieceFromScan: identity() } : p));
  }
  for (const name of targets) {
    if (!stays(all.find((p) => p.name === name)!))
      throw fault(`${name} is loose itself. Pick on scans that have a place, or place it first.`);
  }
  return all;
}
