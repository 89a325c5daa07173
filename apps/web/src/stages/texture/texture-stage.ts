import type { StageModule } from '../stage-module';
import { LightPanel } from './light/light-panel';

export const textureStage: StageModule = {
  id: 'texture',
  guide:
    'Colour the surface from the captured pictures. For pages, games and phones, make a light model with the detail on its maps.',
  panels: [LightPanel],
  compared: true,
};
