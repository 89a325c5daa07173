import { useEffect } from 'react';
import { useStore } from '../../../shared/store';
import type { OverlayProps } from '../../../view/view-overlay';
import { holesClient } from './holes-client';

const IDENTITY = [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1];

/** The rims of the holes in the view, seen through what stands before them. */
export function HolesOverlay({ engine }: OverlayProps) {
  const points = useStore(holesClient, (s) => s.points);
  useEffect(() => {
    engine.showApart('holes', points ? { positions: points, matrix: IDENTITY, through: true } : undefined);
    return () => engine.showApart('holes', undefined);
  }, [engine, points]);
  return null;
}
