import { useState } from 'react';
import { useViewInput, type OverlayProps } from '../src/view/view-overlay';

/** Tells the place of a click on the object. */
export function PlaceOverlay({ engine, inputs }: OverlayProps) {
  const [place, setPlace] = useState<string>('Click the object.');
  useViewInput(inputs, {
    onPointerUp: (e) => {
      const found = engine.pick(e.clientX, e.clientY);
      if (found) setPlace(found.point.map((v) => v.toFixed(1)).join(' · '));
    },
    cancel: () => setPlace('Click the object.'),
  });
  return <div role="status">{place}</div>;
}
