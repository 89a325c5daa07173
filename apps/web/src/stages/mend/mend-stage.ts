import type { StageModule } from '../stage-module';
import { HolesOverlay } from './holes/holes-overlay';
import { HolesPanel } from './holes/holes-panel';

export const mendStage: StageModule = {
  id: 'mend',
  guide: 'Close holes and remove faults, take noise away, then reduce the triangles to what the use needs.',
  panels: [HolesPanel],
  overlays: [HolesOverlay],
  compared: true,
};
