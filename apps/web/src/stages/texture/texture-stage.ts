import type { StageModule } from '../stage-module';

export const textureStage: StageModule = {
  id: 'texture',
  guide: 'Colour the surface from the captured pictures.',
};
