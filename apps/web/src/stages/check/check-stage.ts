import { either, watch } from '../../shared/store';
import type { StageModule } from '../stage-module';
import { dimensionsDesk } from './dimensions/dimensions-desk';
import { DimensionsOverlay } from './dimensions/dimensions-overlay';
import { DimensionsPanel } from './dimensions/dimensions-panel';
import { placingDesk } from './placing/placing-desk';
import { PlacingOverlay } from './placing/placing-overlay';
import { PlacingPanel } from './placing/placing-panel';
import { ReferenceOverlay } from './reference/reference-overlay';
import { ReferencePanel } from './reference/reference-panel';
import { WallsOverlay } from './walls/walls-overlay';
import { WallsPanel } from './walls/walls-panel';

export const checkStage: StageModule = {
  id: 'check',
  panels: [DimensionsPanel, WallsPanel, ReferencePanel, PlacingPanel],
  overlays: [ReferenceOverlay, WallsOverlay, DimensionsOverlay, PlacingOverlay],
  undo: (direction) => placingDesk.current().open !== null && placingDesk.step(direction),
  sending: either(
    watch(dimensionsDesk, (s) => s.wanted !== null),
    watch(placingDesk, (s) => s.wanted !== null),
  ),
  shortcuts: [['Arrows, Shift and arrows', 'On a handle of a piece that is placed: by 1 mm or 1°, by 10 mm or 15°']],
};
