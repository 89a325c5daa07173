import type { StageModule } from '../stage-module';
import { KnowledgeOverlay } from './knowledge/knowledge-overlay';
import { KnowledgePanel } from './knowledge/knowledge-panel';
import { trustDesk } from './trust/trust-desk';
import { TrustOverlay } from './trust/trust-overlay';
import { TrustPanel } from './trust/trust-panel';

export const fuseStage: StageModule = {
  id: 'fuse',
  guide: 'Merge the registered scans into one surface, and see how well each place of it was measured.',
  panels: [TrustPanel, KnowledgePanel],
  overlays: [KnowledgeOverlay, TrustOverlay],
  // While a place is marked, undo takes back a ball.
  undo: (direction) => direction === 'undo' && trustDesk.back(),
  compared: true,
};
