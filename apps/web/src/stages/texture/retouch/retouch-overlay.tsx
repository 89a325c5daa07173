import { useEffect, useRef, useState } from 'react';
import type { TouchKind } from '@amber-knit/core/retouching';
import { useAppSelector } from '../../../app/store';
import { useStore } from '../../../shared/store';
import { BrushRing, placesOnTheWay, pressureOf, ToolHint, type Spot } from '../../../view/brush';
import type { Pick } from '../../../view/view-content';
import { useViewInput, type OverlayProps } from '../../../view/view-overlay';
import { retouchClient } from './retouch-client';
import { lackingOf, retouchDesk } from './retouch-desk';

const IDENTITY = [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1];

const HINTS: Record<TouchKind, string> = {
  copy: 'Draw where the copy is to go. Alt and a click choose another place to copy from.',
  picture: 'Draw where the picture is to be seen.',
  heal: 'Draw over the mark: the colours around go on over it.',
  paint: 'Draw on the surface.',
  tint: 'Draw over what is to have this hue.',
  tone: 'Draw over what is to be lighter, darker or another hue.',
  soften: 'Draw over what is too hard.',
  sharpen: 'Draw over what is too soft.',
};
const LACKING = { from: 'Click the place to copy from.', picture: 'Choose a picture first.' };

/** Work on the colours: the map as it stands on the surface, the brush, and where a copy comes from. */
export function RetouchOverlay({ engine, inputs }: OverlayProps) {
  const settings = useStore(retouchDesk);
  const { tool, radius, from } = settings;
  const { surface, opened, pending, failed } = useStore(retouchClient);
  const otherTool = useAppSelector((s) => s.view.tool) !== 'turn';
  const area = useRef<SVGSVGElement>(null);
  const drawing = useRef(false);
  const last = useRef<Spot>([0, 0]);
  const [ring, setRing] = useState<{ spot: Spot; pixels: number } | null>(null);
  const isOn = tool !== null && opened !== null;

  useEffect(() => {
    if (otherTool) retouchDesk.choose(null);
  }, [otherTool]);
  useEffect(() => {
    if (!isOn) return;
    engine.setDrawing(true);
    return () => engine.setDrawing(false);
  }, [engine, isOn]);
  useEffect(() => {
    return retouchClient.watchTiles((id, tiles) => engine.patchMap(id, tiles));
  }, [engine]);
  // What was drawn and is no step is not shown elsewhere, nor once it is thrown away.
  useEffect(() => {
    if (!surface || !opened) return;
    return () => engine.showAnew(surface);
  }, [engine, surface, opened]);
  const marks = tool === 'copy' && from ? from : null;
  useEffect(() => {
    engine.showApart(
      'copied from',
      marks ? { positions: Float32Array.from(marks), matrix: IDENTITY, through: true } : undefined,
    );
    return () => engine.showApart('copied from', undefined);
  }, [engine, marks]);

  const spotOf = (e: { clientX: number; clientY: number }): Spot => {
    const rect = area.current?.getBoundingClientRect();
    return [e.clientX - (rect?.left ?? 0), e.clientY - (rect?.top ?? 0)];
  };
  const showRing = (e: { clientX: number; clientY: number }, found: Pick | undefined): void =>
    setRing(found ? { spot: spotOf(e), pixels: radius / engine.axesAt(found.point).mmPerPixel } : null);

  useViewInput(inputs, {
    onPointerDown(e) {
      if (!isOn || e.button !== 0 || !e.isPrimary) return;
      const found = engine.pick(e.clientX, e.clientY);
      last.current = [e.clientX, e.clientY];
      if (!found || !retouchDesk.press(found.point, pressureOf(e), e.altKey)) return;
      drawing.current = true;
      (e.target as Element).setPointerCapture(e.pointerId);
    },
    onPointerMove(e) {
      if (!isOn) return;
      if (drawing.current && (e.buttons & 1) !== 0) {
        showRing(
          e,
          placesOnTheWay(engine, last.current, e, ({ point }) => retouchDesk.draw(point, pressureOf(e))),
        );
        last.current = [e.clientX, e.clientY];
      } else showRing(e, engine.pick(e.clientX, e.clientY));
    },
    onPointerUp() {
      if (!drawing.current) return;
      drawing.current = false;
      retouchDesk.release();
    },
    onKey(e) {
      if (!isOn) return false;
      if (e.key === '[' || e.key === ']') retouchDesk.grow(e.key === '[' ? 0.8 : 1.25);
      else if (e.key === 'Enter') {
        const rect = area.current!.getBoundingClientRect();
        const found = engine.pick(rect.left + rect.width / 2, rect.top + rect.height / 2);
        if (found && retouchDesk.press(found.point, 1, e.altKey)) retouchDesk.release();
      } else return false;
      return true;
    },
    cancel() {
      drawing.current = false;
      retouchDesk.cancel();
    },
  });

  if (!surface) return null;
  const lacking = lackingOf(settings);
  const working = !failed && !opened && pending > 0;
  const words = failed ?? (working ? 'Reading the map …' : tool && (lacking ? LACKING[lacking] : HINTS[tool]));
  return (
    <>
      <svg ref={area} className="pointer-events-none absolute inset-0 h-full w-full" aria-hidden>
        {isOn && ring && <BrushRing {...ring} />}
      </svg>
      {words && <ToolHint words={words} failed={failed !== null} ended={!failed && !working && tool !== null} />}
    </>
  );
}
