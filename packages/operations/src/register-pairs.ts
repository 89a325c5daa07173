import { boundsOf, diagonalOf, type Placement, type Scan } from '@amber-knit/core/geometry';
import { transformPoint, type Vec3 } from '@amber-knit/core/math';
import { GeometryError } from '@amber-knit/core/runtime';
import { scanNamed } from './each-scan.js';
import { OPERATION_IDS } from './operation-ids.js';
import { defineOperation } from './operation.js';
import { FlagParam, PairsParam, TextParam, type PickedPair } from './params.js';
import { finishByHand, stays, withGround } from './place-by-hand.js';
import { REGISTRATION_FIGURES, summarizeRegistration } from './register-automatic.js';

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

export const registerPairs = defineOperation({
  id: OPERATION_IDS.registerPairs,
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
    const { fitPairs } = await import('@amber-knit/core/registration');
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
    const placed = await finishByHand(
      scans,
      before,
      { name: moving.name, pieceFromScan: fit.ontoFromFrom, rms: fit.rms },
      params.refine,
      ctx,
    );
    const picked = { pickedPairs: params.pairs.length, pickedRms: fit.rms };
    return { ...placed, figures: { ...placed.figures, ...picked } };
  },
  figures: {
    ...REGISTRATION_FIGURES,
    pickedPairs: {
      kind: 'count',
      rank: 'detail',
      label: 'Picked pairs',
      help: 'Places that were picked in both scans.',
    },
    pickedRms: {
      kind: 'length',
      rank: 'detail',
      label: 'Picked pairs agree within',
      help: 'How far apart the picked places lie, root mean square. A large figure tells of a wrong pair.',
    },
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
  const targets = [...new Set(pairs.map((p) => p.scan))];
  for (const name of targets) scanNamed(scans, name);
  if (targets.includes(scan))
    throw fault(`Both places of a pair were picked in ${scan}. Pick one in a scan that stays.`);
  const all = withGround(scans, placements, scan, targets);
  for (const name of targets) {
    if (!stays(all.find((p) => p.name === name)!))
      throw fault(`${name} is loose itself. Pick on scans that have a place, or place it first.`);
  }
  return all;
}
