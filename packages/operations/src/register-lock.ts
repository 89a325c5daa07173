import { hasPlace, type Placement } from '@amber-knit/core/geometry';
import { GeometryError, listed } from '@amber-knit/core/runtime';
import { EachScanParams } from './each-scan.js';
import { OPERATION_IDS } from './operation-ids.js';
import { defineOperation } from './operation.js';
import { FlagParam } from './params.js';

export class RegisterLockParams extends EachScanParams {
  @FlagParam({
    title: 'Lock',
    help: 'On: no registration moves the scans any more; the others come to them. Off: they move with the rest again.',
  })
  lock = true;
}

/** Locks scans where they are, or lets them go. */
export const registerLock = defineOperation({
  id: OPERATION_IDS.registerLock,
  version: 1,
  stage: 'register',
  title: 'Lock scans',
  help: 'Locked scans stay where they are in every registration, and with them the frame of the piece.',
  byHand: true,
  movesNothing: true,
  needs: ['placements'],
  gives: ['placements'],
  params: RegisterLockParams,
  suggest: () => ({}),
  run({ placements }, { only, lock }) {
    const fault = (names: string[], why: string): GeometryError =>
      new GeometryError('invalid-parameter', `${listed(names)} can't be locked: ${why}`);
    const names = only.length > 0 ? only : placements.filter(hasPlace).map((p) => p.name);
    const meant = placements.filter((p) => names.includes(p.name));
    const unplaced = names.filter((name) => !meant.some((p) => p.name === name && hasPlace(p)));
    if (lock && unplaced.length > 0) throw fault(unplaced, 'no place yet. Register or place first.');
    const doubtful = meant.filter((p) => p.doubt && p.doubt.rivals.length > 0).map((p) => p.name);
    if (lock && doubtful.length > 0) throw fault(doubtful, 'other places fit about as well. Choose one first.');
    const changed = placements.map((p): Placement => {
      if (!names.includes(p.name)) return p;
      const { locked: _, ...rest } = p;
      return lock ? { ...rest, locked: true } : rest;
    });
    return Promise.resolve({ outputs: { placements: changed }, figures: { scans: names.length, locked: lock } });
  },
  figures: {
    scans: { kind: 'count', rank: 'headline', label: 'Scans', help: 'Scans that were changed.' },
    locked: { kind: 'flag', rank: 'detail', label: 'Locked', help: 'They stay where they are in every registration.' },
  },
  summarize: (f) => `${f.scans} ${f.scans === 1 ? 'scan' : 'scans'} ${f.locked ? 'locked' : 'unlocked'}`,
});
