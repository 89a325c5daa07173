import { useEffect, useMemo, useState } from 'react';
import { useStore } from '../../../shared/store';
import type { OverlayProps } from '../../../view/view-overlay';
import { placingDesk } from '../placing/placing-desk';
import { wallsDesk } from '../walls/walls-desk';
import { DeviationLegend } from './deviation-legend';
import { deviationColors, histogramOf } from './deviation-scale';
import { referenceDesk } from './reference-desk';

/** Deviations on the surface, with their legend. */
export function ReferenceOverlay({ piece, engine }: OverlayProps) {
  const { deviation, shown } = useStore(referenceDesk);
  const [invented, setInvented] = useState<Uint8Array | undefined>();
  useEffect(() => referenceDesk.load(piece.deviation?.id), [piece.deviation]);
  // What is placed elsewhere shows where it clashes.
  const placed = useStore(placingDesk, (s) => s.open !== null);
  // So do walls, while they are shown.
  const walls = useStore(wallsDesk, (s) => s.found !== null && s.shown);
  const on = shown && !placed && !walls ? deviation : null;
  useEffect(() => {
    if (!on) return undefined;
    engine.paintSurface(({ invented: known }) => {
      setInvented(known);
      return deviationColors(on.values, on.tolerance, known);
    });
    return () => engine.paintSurface(undefined);
  }, [engine, on]);
  const bars = useMemo(() => (on ? histogramOf(on.values, on.tolerance, invented) : []), [on, invented]);
  if (!on) return null;
  // What was invented counts nowhere.
  const near = on.values.filter((d, v) => !Number.isNaN(d) && !invented?.[v]);
  const within = near.filter((d) => Math.abs(d) <= on.tolerance).length / Math.max(1, near.length);
  return <DeviationLegend bars={bars} tolerance={on.tolerance} within={within} />;
}
