import { useStore, watch } from '../../shared/store';
import { SelectPanel } from '../../selection/select-panel';
import { selectionClient } from '../../selection/selection-client';
import { CuttingOverlay, SelectionOverlay } from '../../selection/selection-overlay';
import type { StageModule } from '../stage-module';
import { framesClient } from './frames/frames-client';
import { FramesOverlay } from './frames/frames-overlay';
import { FramesPanel } from './frames/frames-panel';
import { FramesView } from './frames/frames-view';

export const cleanStage: StageModule = {
  id: 'clean',
  panels: [FramesPanel, (props) => props.piece.scans > 0 && <SelectPanel {...props} />],
  overlays: [SelectionOverlay, CuttingOverlay, FramesOverlay],
  Below: function OpenFrames() {
    return useStore(framesClient, (s) => s.scanId !== null) && <FramesView />;
  },
  compared: true,
  // While points are being selected, selecting is undone first.
  undo: (direction) => selectionClient.step(direction),
  sending: watch(selectionClient, (s) => s.sending),
  shortcuts: [
    ['Enter', 'With a selecting tool: click in the middle of the view'],
    ['Delete', 'Cut the selected points away'],
  ],
};
