import type { StageModule } from '../stage-module';
import { BringInPanel } from './bring-in/bring-in-panel';
import { FaultsOverlay } from './faults/faults-overlay';
import { FaultsPanel } from './faults/faults-panel';
import { handClient } from './hand/hand-client';
import { HandOverlay } from './hand/hand-overlay';
import { HandPanel } from './hand/hand-panel';
import { HolesOverlay } from './holes/holes-overlay';
import { HolesPanel } from './holes/holes-panel';

export const mendStage: StageModule = {
  id: 'mend',
  panels: [FaultsPanel, HolesPanel, HandPanel, BringInPanel],
  overlays: [FaultsOverlay, HolesOverlay, HandOverlay],
  // While something was drawn and is not kept yet, undo takes back a stroke.
  undo: (direction) => handClient.step(direction),
  shortcuts: [
    ['[ and ]', 'Brush smaller, larger'],
    ['Enter in the view', 'Uses the tool at the middle of the view'],
  ],
  compared: true,
};
