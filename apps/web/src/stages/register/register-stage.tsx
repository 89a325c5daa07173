import { store } from '../../app/store';
import { FitPanel } from '../../selection/fit-panel';
import { SelectionOverlay } from '../../selection/selection-overlay';
import type { StageModule } from '../stage-module';
import { DoubtPanel } from './agreement/doubt-panel';
import { HoldPanel } from './agreement/hold-panel';
import { ByHandPanel } from './by-hand/by-hand-panel';
import { ByHandView } from './by-hand/by-hand-view';
import { NextViewsOverlay } from './next-views/next-views-overlay';
import { NextViewsPanel } from './next-views/next-views-panel';

export const registerStage: StageModule = {
  id: 'register',
  first: [(props) => props.piece.doubts.length > 0 && <DoubtPanel {...props} />],
  panels: [HoldPanel, NextViewsPanel, FitPanel, ByHandPanel],
  overlays: [SelectionOverlay, NextViewsOverlay],
  instead: [
    {
      while: { subscribe: store.subscribe, current: () => store.getState().byHand.moving !== null },
      View: ByHandView,
    },
  ],
  compared: true,
};
