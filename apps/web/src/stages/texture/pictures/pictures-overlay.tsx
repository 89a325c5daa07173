import { useEffect, useRef } from 'react';
import { useAppSelector } from '../../../app/store';
import { useStore } from '../../../shared/store';
import { ToolHint } from '../../../view/brush';
import { useViewInput, type OverlayProps } from '../../../view/view-overlay';
import { retouchDesk } from '../retouch/retouch-desk';
import { pictureColors } from './picture-tints';
import { picturesClient } from './pictures-client';

const IDENTITY = [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1];
/** A click moves by less than this, pixels; what goes farther turns the view. */
const STILL = 4;

/** Which picture coloured what, painted on the surface; a click asks which pictures show the place. */
export function PicturesOverlay({ engine, inputs }: OverlayProps) {
  const { shown, pictures, chosen, place } = useStore(picturesClient);
  const retouching = useStore(retouchDesk, (s) => s.tool !== null);
  const turning = useAppSelector((s) => s.view.tool) === 'turn';
  const began = useRef<[number, number] | null>(null);
  const isOn = shown && Boolean(pictures?.length) && !retouching && turning;
  useEffect(() => {
    if (!shown || !pictures || retouching) return undefined;
    engine.paintSurface((known) => pictureColors(known, chosen));
    return () => engine.paintSurface(undefined);
  }, [engine, shown, pictures, chosen, retouching]);
  const marked = isOn ? place?.point : undefined;
  useEffect(() => {
    engine.showApart(
      'place of pictures',
      marked && { positions: Float32Array.from(marked), matrix: IDENTITY, through: true },
    );
    return () => engine.showApart('place of pictures', undefined);
  }, [engine, marked]);

  const lookAt = (x: number, y: number): void => {
    const found = engine.pick(x, y);
    if (found) picturesClient.lookAt(found.point);
  };
  useViewInput(inputs, {
    onPointerDown(e) {
      began.current = isOn && e.button === 0 && e.isPrimary ? [e.clientX, e.clientY] : null;
    },
    onPointerUp(e) {
      const from = began.current;
      began.current = null;
      if (from && Math.hypot(e.clientX - from[0], e.clientY - from[1]) < STILL) lookAt(e.clientX, e.clientY);
    },
    onKey(e) {
      if (!isOn || e.key !== 'Enter') return false;
      const rect = (e.currentTarget as Element).getBoundingClientRect();
      lookAt(rect.left + rect.width / 2, rect.top + rect.height / 2);
      return true;
    },
    cancel() {
      began.current = null;
    },
  });
  if (!isOn) return null;
  return <ToolHint words="Click a place to see the pictures that show it." failed={false} ended={false} />;
}
