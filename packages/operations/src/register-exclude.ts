import { placeAlone, loosePlacement, type Placement } from '@amber-knit/core/geometry';
import { EachScanParams } from './each-scan.js';
import { OPERATION_IDS } from './operation-ids.js';
import { defineOperation } from './operation.js';
import { FlagParam } from './params.js';

export class RegisterExcludeParams extends EachScanParams {
  @FlagParam({
    title: 'Exclude',
    help: 'On: the scans take no part in registration and in the surface. Off: they are loose again.',
  })
  exclude = true;
}

/** Excludes scans without losing them, or takes them in again. */
export const registerExclude = defineOperation({
  id: OPERATION_IDS.registerExclude,
  version: 1,
  stage: 'register',
  title: 'Exclude scans',
  help: 'Excluded scans stay in the piece but take no part in registration, surface and texture.',
  byHand: true,
  needs: [],
  uses: ['placements'],
  gives: ['placements'],
  params: RegisterExcludeParams,
  suggest: () => ({}),
  run({ placements = [] }, { only, exclude }) {
    const rest = placements.filter((p) => !only.includes(p.name));
    const changed = only.map((name): Placement => {
      const { locked: _, ...known } = placeAlone(placements.find((p) => p.name === name) ?? loosePlacement(name));
      if (exclude) return { ...known, state: 'excluded' };
      return known.state === 'excluded' ? { ...known, state: 'loose' } : known;
    });
    return Promise.resolve({
      outputs: { placements: [...rest, ...changed] },
      figures: { scans: only.length, excluded: exclude },
    });
  },
  figures: {
    scans: { kind: 'count', rank: 'headline', label: 'Scans', help: 'Scans that were changed.' },
    excluded: { kind: 'flag', rank: 'detail', label: 'Excluded', help: 'They take no part in registering and fusing.' },
  },
  summarize: (f) => `${f.scans} ${f.scans === 1 ? 'scan' : 'scans'} ${f.excluded ? 'excluded' : 'taken in again'}`,
});
