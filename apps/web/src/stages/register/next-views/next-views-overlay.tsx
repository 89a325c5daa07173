import { useEffect, useSyncExternalStore } from 'react';
import type { OverlayProps } from '../../../view/view-overlay';
import { nextViewsClient } from './next-views-client';

const IDENTITY = [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1];

/** Where to scan next: the place, and what would be seen from it. */
export function NextViewsOverlay({ engine }: OverlayProps) {
  const { points } = useSyncExternalStore(nextViewsClient.subscribe, nextViewsClient.current);
  useEffect(() => {
    engine.showApart('advice', points ? { positions: points, matrix: IDENTITY } : undefined);
    return () => engine.showApart('advice', undefined);
  }, [engine, points]);
  return null;
}
