import type { StageModule } from '../stage-module';
import { LightPanel } from './light/light-panel';
import { PicturesOverlay } from './pictures/pictures-overlay';
import { PicturesPanel } from './pictures/pictures-panel';
import { retouchClient } from './retouch/retouch-client';
import { RetouchOverlay } from './retouch/retouch-overlay';
import { RetouchPanel } from './retouch/retouch-panel';

export const textureStage: StageModule = {
  id: 'texture',
  panels: [RetouchPanel, PicturesPanel, LightPanel],
  overlays: [RetouchOverlay, PicturesOverlay],
  // While something was drawn and is not kept yet, undo takes back a stroke.
  undo: (direction) => retouchClient.step(direction),
  shortcuts: [
    ['[ and ]', 'Brush smaller, larger'],
    ['Alt and a click', 'Chooses the place to copy from'],
    ['Enter in the view', 'Uses the brush, or looks for pictures, at the middle of the view'],
  ],
  compared: true,
};
