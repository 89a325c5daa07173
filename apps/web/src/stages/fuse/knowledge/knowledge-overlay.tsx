import { useEffect } from 'react';
import { useStore } from '../../../shared/store';
import type { OverlayProps } from '../../../view/view-overlay';
import { qualityColors } from './knowledge-colors';
import { knowledgeClient } from './knowledge-client';
import { qualityOf } from './qualities';

/** How well the surface was measured, painted on it. */
export function KnowledgeOverlay({ engine }: OverlayProps) {
  const { found, shown } = useStore(knowledgeClient);
  useEffect(() => {
    if (!shown || !found) return undefined;
    engine.paintSurface((known, vertices) =>
      qualityColors(qualityOf(found.quality), known, vertices, found.limit, found.spread.to),
    );
    return () => engine.paintSurface(undefined);
  }, [engine, found, shown]);
  return null;
}
