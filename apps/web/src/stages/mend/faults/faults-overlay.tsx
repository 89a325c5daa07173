import type { OverlayProps } from '../../../view/view-overlay';
import { useMarkedPlaces } from '../places/marked-places';
import { faultsClient } from './faults-client';

/** The faults that are chosen, in the view. */
export function FaultsOverlay({ engine }: OverlayProps) {
  useMarkedPlaces(engine, 'faults', faultsClient, true);
  return null;
}
