import { useEffect } from 'react';
import { useStore, type Watch } from '../../../shared/store';
import type { ViewEngine } from '../../../view/view-engine';
import { handClient } from '../hand/hand-client';

const IDENTITY = [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1];

/** Points of places in the view, seen through what stands before them. */
export function useMarkedPlaces(
  engine: ViewEngine,
  owner: string,
  client: Watch<{ points: Float32Array | null; chosen: ReadonlySet<number> }>,
  onlyChosen = false,
): void {
  const found = useStore(client, (s) => (onlyChosen && s.chosen.size === 0 ? null : s.points));
  // What is drawn by hand changes the surface; what was found is of the one before.
  const drawn = useStore(handClient, (s) => s.edits.length > 0);
  const points = drawn ? null : found;
  useEffect(() => {
    engine.showApart(owner, points ? { positions: points, matrix: IDENTITY, through: true } : undefined);
    return () => engine.showApart(owner, undefined);
  }, [engine, owner, points]);
}
