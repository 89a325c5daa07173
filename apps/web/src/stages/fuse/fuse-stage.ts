import type { StageModule } from '../stage-module';

export const fuseStage: StageModule = {
  id: 'fuse',
  guide: 'Merge the registered scans into one surface.',
};
