import { watch } from '../../shared/store';
import type { StageModule } from '../stage-module';
import { dimensionsDesk } from './dimensions/dimensions-desk';
import { DimensionsOverlay } from './dimensions/dimensions-overlay';
import { DimensionsPanel } from './dimensions/dimensions-panel';

export const checkStage: StageModule = {
  id: 'check',
  guide: 'Measure the result: pick dimensions in the view, inspect the surface as a whole.',
  panels: [DimensionsPanel],
  overlays: [DimensionsOverlay],
  sending: watch(dimensionsDesk, (s) => s.wanted !== null),
};
