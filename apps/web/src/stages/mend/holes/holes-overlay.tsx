import type { OverlayProps } from '../../../view/view-overlay';
import { useMarkedPlaces } from '../places/marked-places';
import { holesClient } from './holes-client';

/** The rims of the holes in the view. */
export function HolesOverlay({ engine }: OverlayProps) {
  useMarkedPlaces(engine, 'holes', holesClient);
  return null;
}
