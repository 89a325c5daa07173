import { GeometryError } from '@amber-knit/core/runtime';
import { scanNamed } from './each-scan.js';
import { OPERATION_IDS } from './operation-ids.js';
import { defineOperation } from './operation.js';
import { FlagParam, PoseParam, TextParam } from './params.js';
import { finishByHand, stays, withGround } from './place-by-hand.js';
import { REGISTRATION_FIGURES, summarizeRegistration } from './register-automatic.js';

export class RegisterMovedParams {
  @TextParam({ title: 'Scan', help: 'The scan that was moved.' })
  scan = '';

  @TextParam({
    title: 'Onto',
    help: 'The scan that it was moved onto, if none has a place yet; otherwise empty.',
    whenEmpty: 'all that have a place',
  })
  onto = '';

  @PoseParam({ title: 'Place', help: 'Where it was put: piece from scan, 16 numbers column by column.' })
  pieceFromScan: number[] = [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1];

  @FlagParam({
    title: 'Fit finely',
    help: 'Fits all placed scans together afterwards, starting from where it was put.',
  })
  refine = true;
}

export const registerMoved = defineOperation({
  id: OPERATION_IDS.registerMoved,
  version: 1,
  stage: 'register',
  title: 'Place where it was moved',
  help: 'Puts a scan where it was moved to by hand among scans that stay, then fits all together.',
  byHand: true,
  needs: ['scans'],
  uses: ['placements'],
  gives: ['placements'],
  params: RegisterMovedParams,
  suggest: () => ({}),
  run({ scans, placements = [] }, { scan, onto, pieceFromScan, refine }, ctx) {
    const { name } = scanNamed(scans, scan);
    if (onto === name) throw new GeometryError('invalid-parameter', `${name} can't be moved onto itself.`);
    if (onto) scanNamed(scans, onto);
    const before = withGround(scans, placements, name, onto ? [onto] : []);
    if (!before.some((p) => p.name !== name && stays(p)))
      throw new GeometryError('invalid-parameter', 'No other scan has a place yet. Say which one it is moved onto.');
    return finishByHand(scans, before, { name, pieceFromScan: Float64Array.from(pieceFromScan), rms: 0 }, refine, ctx);
  },
  figures: REGISTRATION_FIGURES,
  summarize: (f) => summarizeRegistration(f),
});
