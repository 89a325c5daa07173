import { useEffect } from 'react';
import { useStore } from '../../../shared/store';
import type { OverlayProps } from '../../../view/view-overlay';
import { placingDesk } from '../placing/placing-desk';
import { WallsLegend } from './walls-legend';
import { wallsDesk } from './walls-desk';
import { wallColors } from './walls-scale';

/** The thickness of walls on the surface, with its legend. */
export function WallsOverlay({ piece, engine }: OverlayProps) {
  const { found, shown } = useStore(wallsDesk);
  const meshId = piece.mesh?.id;
  // Another surface has other walls.
  useEffect(() => {
    if (found && found.meshId !== meshId) wallsDesk.clear();
  }, [found, meshId]);
  const placed = useStore(placingDesk, (s) => s.open !== null);
  const on = found?.meshId === meshId && shown && !placed ? found : null;
  useEffect(() => {
    if (!on) return undefined;
    const { thickness } = on.map;
    engine.paintSurface((_known, vertices) =>
      thickness.length === vertices ? wallColors(thickness, on.terms.least) : undefined,
    );
    return () => engine.paintSurface(undefined);
  }, [engine, on]);
  return on ? <WallsLegend map={on.map} least={on.terms.least} /> : null;
}
