import { useEffect, useRef, useState } from 'react';
import type { PieceView } from '@amber-knit/contracts';
import type { Shown } from '../app/stages';
import { useAppDispatch, useAppSelector } from '../app/store';
import { comparedWith, isSelectTool, sectionSet } from '../app/view-slice';
import { shortCountText } from '@amber-knit/operations/quantity-text';
import { Notice } from '../shared/controls';
import { SectionForm } from './section-form';
import { ErrorLegend, HeightLegend, InventedLegend, ScanCountLegend } from './legends';
import { measuredText } from './known-words';
import { MeasureOverlay } from './measure-overlay';
import { contentOf } from './piece-content';
import type { Pick } from './view-content';
import { SwipeDivider } from './swipe-divider';
import { useCompared } from './use-compared';
import { ViewEngine } from './view-engine';
import { ViewInputs, type ViewOverlay } from './view-overlay';
import { ViewToolbar, type ToolbarOffer } from './view-toolbar';

/** The 3D view with its reading strip, and whatever is laid over it. */
export function Viewport({
  piece,
  shown,
  overlays,
  offer,
}: {
  piece: PieceView;
  shown: Shown;
  /** A list that stays the same from picture to picture. */
  overlays: readonly ViewOverlay[];
  /** What the toolbar offers; everything if it is left away. */
  offer?: ToolbarOffer;
}) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const [engine, setEngine] = useState<ViewEngine | null>(null);
  const [inputs] = useState(() => new ViewInputs());
  const settings = useAppSelector((s) => s.view);
  const dispatch = useAppDispatch();
  const [pick, setPick] = useState<Pick | undefined>();
  const [counts, setCounts] = useState({ points: 0, drawn: 0, triangles: 0 });
  const [extent, setExtent] = useState<[number, number]>([0, 0]);
  const [error, setError] = useState<string | null>(null);
  const lastPick = useRef(0);

  useEffect(() => {
    let e: ViewEngine;
    try {
      e = new ViewEngine(canvas.current!);
    } catch {
      setError('This browser offers no WebGL 2. Lists, forms and results work; the 3D view stays empty.');
      return;
    }
    e.onCount = (points, drawn, triangles) => setCounts({ points, drawn, triangles });
    e.onError = setError;
    setEngine(e);
    return () => {
      setEngine(null);
      e.dispose();
    };
  }, []);

  // Trying a place does not change where the view looks from.
  const content = contentOf(piece, shown, { ...settings, tried: null });
  const layoutKey = content.surface ? 'surface' : content.clouds.map((c) => c.matrix.join()).join('|');
  const firstLayout = useRef(layoutKey);
  useEffect(() => {
    engine?.show(contentOf(piece, shown, settings));
  }, [engine, piece, shown, settings]);
  const { alone } = settings;
  useEffect(() => {
    if (alone) engine?.fit();
  }, [engine, alone]);
  useEffect(() => {
    if (firstLayout.current === layoutKey) return;
    firstLayout.current = layoutKey;
    engine?.fit();
  }, [engine, layoutKey]);
  const { color, lit, wireframe, edges, map } = settings;
  useEffect(() => {
    engine?.setLook({ color, lit, wireframe, edges, map });
  }, [engine, color, lit, wireframe, edges, map]);
  const compared = useCompared(piece, shown);
  const [split, setSplit] = useState(0.5);
  useEffect(() => {
    engine?.compare(compared?.content);
  }, [engine, compared]);
  useEffect(() => {
    engine?.setSplit(split);
  }, [engine, split]);
  const { section } = settings;
  useEffect(() => {
    const found = engine?.setSection(section);
    if (found) setExtent((old) => (old.join() === found.join() ? old : found));
    // The extent of what is shown follows the points as they arrive.
  }, [engine, section, counts.points, counts.triangles, layoutKey]);
  const { lookedAt } = settings;
  useEffect(() => {
    if (lookedAt) engine?.lookAt(lookedAt.place, lookedAt.size, lookedAt.from);
  }, [engine, lookedAt]);
  const scanName = pick?.scanId ? piece.scanList.find((s) => s.id === pick.scanId)?.name : undefined;
  return (
    <div className="flex min-h-0 min-w-0 flex-1 flex-col">
      <div
        className="relative min-h-0 flex-1 overflow-hidden"
        style={{ background: 'linear-gradient(var(--view-top), var(--view-bottom))' }}
      >
        <canvas
          ref={canvas}
          tabIndex={0}
          className={`peer absolute inset-0 block h-full w-full touch-none ${isSelectTool(settings.tool) ? 'cursor-crosshair' : ''}`}
          aria-label="3D view. Arrow keys turn, Shift and arrows move, plus and minus zoom, F fits, 1 to 6 are standard views."
          data-points={counts.points}
          data-triangles={counts.triangles}
          onKeyDown={(e) => {
            if (e.key === 'Escape') inputs.cancel();
            else if (!inputs.key(e) && !engine?.key(e.key, e.shiftKey)) return;
            e.preventDefault();
          }}
          onPointerMove={(e) => {
            inputs.tell('onPointerMove', e);
            if (e.buttons !== 0 || performance.now() - lastPick.current < 60) return;
            lastPick.current = performance.now();
            setPick(engine?.pick(e.clientX, e.clientY));
          }}
          onPointerLeave={() => setPick(undefined)}
          onPointerDown={(e) => inputs.tell('onPointerDown', e)}
          onPointerCancel={() => inputs.cancel()}
          onPointerUp={(e) => inputs.tell('onPointerUp', e)}
        />
        {compared && (
          <SwipeDivider
            at={split}
            left={compared.left}
            right={compared.right}
            onMove={setSplit}
            onEnd={() => dispatch(comparedWith(null))}
          />
        )}
        {engine &&
          [MeasureOverlay, ...overlays].map((Overlay, k) => (
            <Overlay key={k} piece={piece} shown={shown} engine={engine} inputs={inputs} extent={extent} />
          ))}
        <ViewToolbar onFit={(v) => engine?.fit(v)} hasSurface={counts.triangles > 0} offer={offer} />
        {section && (
          <SectionForm
            section={section}
            extent={extent}
            onChange={(s) => dispatch(sectionSet(s))}
            onLook={() => engine?.lookAlong(section.axis)}
          />
        )}
        {error && (
          <div className="absolute bottom-3 left-3 max-w-md">
            <Notice tone="error">{error}</Notice>
          </div>
        )}
        {settings.color === 'invented' && counts.triangles > 0 && <InventedLegend />}
        {settings.color === 'scans' && counts.triangles > 0 && <ScanCountLegend />}
        {settings.color === 'error' && counts.triangles > 0 && <ErrorLegend range={engine?.errors} />}
        {settings.color === 'height' && counts.triangles === 0 && !section && <HeightLegend extent={extent} />}
      </div>
      <div
        className="num flex h-9 shrink-0 items-center gap-5 overflow-hidden whitespace-nowrap border-t border-line bg-panel px-4"
        aria-label="Reading"
      >
        {pick ? (
          <>
            <span>x {pick.point[0].toFixed(1)}</span>
            <span>y {pick.point[1].toFixed(1)}</span>
            <span>z {pick.point[2].toFixed(1)} mm</span>
            <span className="min-w-0 truncate text-muted">
              {scanName}
              {pick.invented === true && 'invented surface'}
              {pick.invented !== true && measuredText(pick)}
            </span>
          </>
        ) : (
          <span className="text-muted">Point at the object to read its coordinates</span>
        )}
        <span className="flex-1" />
        <span className="text-muted">
          {counts.triangles > 0
            ? `${shortCountText(counts.triangles)} triangles shown`
            : counts.drawn < 0.98 * counts.points
              ? `${shortCountText(counts.drawn)} of ${shortCountText(counts.points)} points drawn`
              : `${shortCountText(counts.points)} points shown`}
        </span>
      </div>
    </div>
  );
}
