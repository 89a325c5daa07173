import { useEffect, useMemo, useRef, useState, type PointerEvent } from 'react';
import { useAppSelector } from '../../../app/store';
import { useStore } from '../../../shared/store';
import { BrushRing, placesOnTheWay, pressureOf, ToolHint, type Spot } from '../../../view/brush';
import type { Pick } from '../../../view/view-content';
import { useViewInput, type OverlayProps } from '../../../view/view-overlay';
import { crossAt, planeBehind } from './cut-plane';
import { handClient } from './hand-client';
import { handDesk, isBrush, type HandTool } from './hand-desk';

const IDENTITY = [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1];
/** A click moves the pointer less than this, pixels. */
const STILL = 4;
const HINTS: Record<HandTool, string> = {
  smooth: 'Draw over what is rough.',
  push: 'Draw over what is to go out or in.',
  flatten: 'Begin where it is flat, and draw over what is not.',
  erase: 'Draw over what is to go.',
  refill: 'Draw over what is to go; the surface goes on over the place.',
  lasso: 'Draw round what is to go.',
  fill: 'Click at the rim of a hole.',
  bridge: 'Drag from one rim to another, or click both.',
  cut: 'Drag a line across the piece.',
};

/** Work by hand: the surface as it stands, the brush, and what the pen draws. */
export function HandOverlay({ engine, inputs }: OverlayProps) {
  const { tool, radius, from, cutAlong } = useStore(handDesk);
  const { shown, edits, reached, pending, failed, surface } = useStore(handClient);
  const otherTool = useAppSelector((s) => s.view.tool) !== 'turn';
  const area = useRef<SVGSVGElement>(null);
  const began = useRef<{ spot: Spot; found: Pick | undefined } | null>(null);
  const last = useRef<Spot>([0, 0]);
  const [ring, setRing] = useState<{ spot: Spot; pixels: number } | null>(null);
  const [line, setLine] = useState<Spot[] | null>(null);
  const drawing = tool !== null && shown !== null;

  useEffect(() => {
    if (otherTool) handDesk.choose(null);
  }, [otherTool]);
  useEffect(() => {
    if (!drawing) return;
    engine.setDrawing(true);
    return () => engine.setDrawing(false);
  }, [engine, drawing]);
  const draft = tool !== null || edits.length > 0 ? shown : null;
  useEffect(() => {
    engine.showDraft(draft ?? undefined);
  }, [engine, draft]);
  useEffect(() => {
    handClient.onMoved = (id, moved) => engine.moveDraft(id, moved);
    return () => {
      handClient.onMoved = undefined;
      engine.showDraft(undefined);
    };
  }, [engine]);
  const marks = useMemo(() => reached ?? (from ? crossAt(from, radius) : null), [reached, from, radius]);
  useEffect(() => {
    engine.showApart('by hand', marks ? { positions: marks, matrix: IDENTITY, through: true } : undefined);
    return () => engine.showApart('by hand', undefined);
  }, [engine, marks]);

  const spotOf = (e: { clientX: number; clientY: number }): Spot => {
    const rect = area.current?.getBoundingClientRect();
    return [e.clientX - (rect?.left ?? 0), e.clientY - (rect?.top ?? 0)];
  };
  const showRing = (e: { clientX: number; clientY: number }, found: Pick | undefined): void =>
    setRing(found ? { spot: spotOf(e), pixels: radius / engine.axesAt(found.point).mmPerPixel } : null);

  /** Draws on to where the pointer is; where it leapt, the way between as well. */
  const drawTo = (e: PointerEvent): void => {
    const found = placesOnTheWay(engine, last.current, e, ({ point }) => handDesk.draw(point, pressureOf(e)));
    showRing(e, found);
    last.current = [e.clientX, e.clientY];
  };

  const cutBehind = (drawn: [Spot, Spot]): void => {
    if (!shown) return;
    const { min, max } = shown.parts.bounds;
    const middle = min.map((c, k) => (c + max[k]) / 2) as [number, number, number];
    const seen = engine.project(middle);
    const plane = planeBehind(drawn, middle, engine.axesAt(middle), [seen.x, seen.y], engine.screenView().eye);
    handDesk.cut(plane.at, plane.normal);
  };

  const end = (): void => {
    began.current = null;
    setLine(null);
  };

  useViewInput(inputs, {
    onPointerDown(e) {
      if (!drawing || e.button !== 0 || !e.isPrimary || (pending > 0 && !isBrush(tool))) return;
      const found = engine.pick(e.clientX, e.clientY);
      began.current = { spot: spotOf(e), found };
      last.current = [e.clientX, e.clientY];
      if (!isBrush(tool) || !found) return;
      (e.target as Element).setPointerCapture(e.pointerId);
      handDesk.press(found.point, pressureOf(e));
    },
    onPointerMove(e) {
      if (!drawing) return;
      if (isBrush(tool)) {
        if (began.current && (e.buttons & 1) !== 0) drawTo(e);
        else showRing(e, engine.pick(e.clientX, e.clientY));
      } else if (began.current && tool === 'lasso') {
        const spot = spotOf(e);
        setLine((drawn) => [...(drawn ?? [began.current!.spot]), spot]);
      } else if (began.current && (tool === 'bridge' || (tool === 'cut' && cutAlong === 'drawn')))
        setLine([began.current.spot, spotOf(e)]);
    },
    onPointerUp(e) {
      const start = began.current;
      const drawn = line;
      end();
      if (!drawing || !start) return;
      if (isBrush(tool)) return handDesk.release();
      if (tool === 'lasso') {
        const { view, eye } = engine.screenView();
        if (drawn) handDesk.lasso(drawn.flat(), view, eye);
        return;
      }
      const spot = spotOf(e);
      const still = Math.hypot(spot[0] - start.spot[0], spot[1] - start.spot[1]) < STILL;
      if (still) {
        if (start.found) handDesk.click(start.found.point);
      } else if (tool === 'cut' && cutAlong === 'drawn') cutBehind([start.spot, spot]);
      else if (tool === 'bridge' && start.found) {
        const found = engine.pick(e.clientX, e.clientY);
        if (found) handDesk.bridge(start.found.point, found.point);
      }
    },
    onKey(e) {
      if (!drawing) return false;
      if (e.key === '[' || e.key === ']') handDesk.grow(e.key === '[' ? 0.8 : 1.25);
      else if (e.key === 'Enter') {
        const rect = area.current!.getBoundingClientRect();
        const found = engine.pick(rect.left + rect.width / 2, rect.top + rect.height / 2);
        if (!found) return true;
        if (isBrush(tool)) {
          handDesk.press(found.point);
          handDesk.release();
        } else handDesk.click(found.point);
      } else return false;
      return true;
    },
    cancel() {
      end();
      handDesk.cancel();
    },
  });

  if (!surface) return null;
  const working = !failed && pending > 0 && (!shown || !isBrush(tool));
  const words = failed ?? (working ? 'Working on it …' : tool && HINTS[tool]);
  return (
    <>
      <svg ref={area} className="pointer-events-none absolute inset-0 h-full w-full" aria-hidden>
        {drawing && isBrush(tool) && ring && <BrushRing {...ring} />}
        {line && (
          <polyline
            points={line.join(' ')}
            fill={tool === 'lasso' ? 'var(--amber)' : 'none'}
            fillOpacity={0.14}
            stroke="var(--amber)"
            strokeWidth={2.5}
            strokeDasharray={tool === 'bridge' ? undefined : '8 5'}
          />
        )}
      </svg>
      {words && <ToolHint words={words} failed={failed !== null} ended={!failed && !working && tool !== null} />}
    </>
  );
}
