import { watch } from '../../shared/store';
import type { StageModule } from '../stage-module';
import { dimensionsDesk } from './dimensions/dimensions-desk';
import { DimensionsOverlay } from './dimensions/dimensions-overlay';
import { DimensionsPanel } from './dimensions/dimensions-panel';
import { ReferenceOverlay } from './reference/reference-overlay';
import { ReferencePanel } from './reference/reference-panel';

export const checkStage: StageModule = {
  id: 'check',
  guide: 'Measure the result: pick dimensions in the view, hold it against a reference, inspect it as a whole.',
  panels: [DimensionsPanel, ReferencePanel],
  overlays: [ReferenceOverlay, DimensionsOverlay],
  sending: watch(dimensionsDesk, (s) => s.wanted !== null),
};
