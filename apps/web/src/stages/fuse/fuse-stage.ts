import type { StageModule } from '../stage-module';
import { KnowledgeOverlay } from './knowledge/knowledge-overlay';
import { KnowledgePanel } from './knowledge/knowledge-panel';

export const fuseStage: StageModule = {
  id: 'fuse',
  guide: 'Merge the registered scans into one surface, and see how well each place of it was measured.',
  panels: [KnowledgePanel],
  overlays: [KnowledgeOverlay],
  compared: true,
};
