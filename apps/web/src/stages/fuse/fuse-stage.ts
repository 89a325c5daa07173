import type { PieceView } from '@amber-knit/contracts';
import { OPERATION_IDS } from '@amber-knit/operations/operation-ids';
import { api } from '../../api/api';
import { store } from '../../app/store';
import type { StageModule } from '../stage-module';
import { KnowledgeOverlay } from './knowledge/knowledge-overlay';
import { KnowledgePanel } from './knowledge/knowledge-panel';
import { PreviewOverlay } from './preview/preview-overlay';
import { previewClient } from './preview/preview-client';
import { trustDesk } from './trust/trust-desk';
import { TrustOverlay } from './trust/trust-overlay';
import { TrustPanel } from './trust/trust-panel';

/** A preview goes by what is kept of which scans count where. */
async function lookAhead(piece: PieceView, params: Record<string, unknown>): Promise<void> {
  const sheet =
    piece.trust && (await store.dispatch(api.endpoints.trust.initiate(piece.trust.id, { subscribe: false })).unwrap());
  previewClient.look(piece, params, sheet?.regions ?? []);
}

export const fuseStage: StageModule = {
  id: 'fuse',
  panels: [TrustPanel, KnowledgePanel],
  overlays: [KnowledgeOverlay, TrustOverlay, PreviewOverlay],
  previews: {
    [OPERATION_IDS.fuseSurface]: {
      label: 'Preview',
      help: 'Fuses a coarse surface in a few seconds, with this shape and these places of trust; nothing is changed',
      look: (piece, params) => void lookAhead(piece, params),
    },
  },
  // While a place is marked, undo takes back a ball.
  undo: (direction) => direction === 'undo' && trustDesk.back(),
  compared: true,
};
