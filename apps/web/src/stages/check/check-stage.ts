import type { StageModule } from '../stage-module';

export const checkStage: StageModule = {
  id: 'check',
  guide: 'Measure the result: size, area, volume, distances.',
};
