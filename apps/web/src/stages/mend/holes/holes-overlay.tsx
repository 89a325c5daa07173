import { useEffect } from 'react';
import { useStore } from '../../../shared/store';
import type { OverlayProps } from '../../../view/view-overlay';
import { handClient } from '../hand/hand-client';
import { holesClient } from './holes-client';

const IDENTITY = [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1];

/** The rims of the holes in the view, seen through what stands before them. */
export function HolesOverlay({ engine }: OverlayProps) {
  const found = useStore(holesClient, (s) => s.points);
  // What is drawn by hand changes rims; those that were found are of the surface before.
  const drawn = useStore(handClient, (s) => s.edits.length > 0);
  const points = drawn ? null : found;
  useEffect(() => {
    engine.showApart('holes', points ? { positions: points, matrix: IDENTITY, through: true } : undefined);
    return () => engine.showApart('holes', undefined);
  }, [engine, points]);
  return null;
}
