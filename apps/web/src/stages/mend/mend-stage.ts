import type { StageModule } from '../stage-module';

export const mendStage: StageModule = {
  id: 'mend',
  guide: 'Close holes and remove faults, then reduce the triangles to what the use needs.',
  compared: true,
};
