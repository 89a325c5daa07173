import { interpolateCividis } from 'd3';
import { useEffect, useRef, useState, useSyncExternalStore } from 'react';
import type { PieceView, Stage } from '@amber-knit/contracts';
import { Plus } from 'lucide-react';
import { useAppDispatch, useAppSelector } from '../../app/store';
import { comparedWith, isSelectTool, sectionSet } from '../../app/view-slice';
import { lengthText, shortCountText } from '@amber-knit/operations/quantity-text';
import { Notice } from '../../shared/controls';
import { framesClient } from '../frames/frames-client';
import { previewClient } from '../import/preview-client';
import { nextViewsClient } from '../next-views/next-views-client';
import { BoxHandles } from '../select/box-handles';
import { DrawingOverlay } from '../select/drawing-overlay';
import { selectionClient } from '../select/selection-client';
import { useSelectGesture } from '../select/use-select-gesture';
import { MEASURE_IDLE, nextMeasureState, pickedPoints, type MeasureState } from './measure-tool';
import { slabOf } from './section';
import { SectionForm } from './section-form';
import { arrivingMatrix, contentForStage } from './piece-content';
import { SURFACE_TINTS, type Pick } from './view-content';
import { SwipeDivider } from './swipe-divider';
import { useCompared } from './use-compared';
import { ViewEngine } from './view-engine';
import { ViewToolbar } from './view-toolbar';

const IDENTITY = [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1];

/** The 3D view with its tools and the reading strip. */
export function Viewport({ piece, stage }: { piece: PieceView; stage: Stage }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const engine = useRef<ViewEngine | null>(null);
  const settings = useAppSelector((s) => s.view);
  const dispatch = useAppDispatch();
  const [pick, setPick] = useState<Pick | undefined>();
  const [counts, setCounts] = useState({ points: 0, drawn: 0, triangles: 0 });
  const [extent, setExtent] = useState<[number, number]>([0, 0]);
  const [error, setError] = useState<string | null>(null);
  const [measure, setMeasure] = useState<MeasureState>(MEASURE_IDLE);
  const gesture = useSelectGesture(engine);
  const selecting = isSelectTool(settings.tool);
  const pressed = useRef<[number, number]>([0, 0]);
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
    engine.current = e;
    return () => {
      engine.current = null;
      e.dispose();
    };
  }, []);

  const frames = useSyncExternalStore(framesClient.subscribe, framesClient.current);
  const { scanId: apart } = frames;
  // Coloured by frame, the single frame would hide what is to be seen.
  const framePoints = frames.byFrame ? null : frames.points;
  const frameLevels = frames.byFrame ? frames.levels : null;

  const preview = useSyncExternalStore(previewClient.subscribe, previewClient.current);
  const { points: advice } = useSyncExternalStore(nextViewsClient.subscribe, nextViewsClient.current);

  // Trying a place does not change where the view looks from.
  const content = contentForStage(piece, stage, { ...settings, tried: null });
  const layoutKey = content.surface ? 'surface' : content.clouds.map((c) => c.matrix.join()).join('|');
  const firstLayout = useRef(layoutKey);
  useEffect(() => {
    engine.current?.show(contentForStage(piece, stage, settings, apart));
  }, [piece, stage, settings, apart]);
  useEffect(() => {
    const at = contentForStage(piece, stage, settings).clouds.find((c) => c.scanId === apart);
    const frame = at && framePoints ? { positions: framePoints.positions, matrix: at.matrix } : undefined;
    const surface = contentForStage(piece, stage, settings).surface !== undefined;
    const arriving = preview && !surface ? { ...preview, matrix: arrivingMatrix(piece) } : undefined;
    const advised = advice && stage === 'register' ? { positions: advice, matrix: IDENTITY } : undefined;
    engine.current?.showApart(frame ?? arriving ?? advised);
  }, [piece, stage, settings, apart, framePoints, preview, advice]);
  const empty = piece.scanList.length === 0;
  useEffect(() => {
    if (preview && empty) engine.current?.fit();
  }, [preview, empty]);
  useEffect(() => {
    if (apart) engine.current?.fit();
  }, [apart]);
  useEffect(() => {
    if (firstLayout.current === layoutKey) return;
    firstLayout.current = layoutKey;
    engine.current?.fit();
  }, [layoutKey]);
  const { color, lit, wireframe, edges } = settings;
  useEffect(() => {
    engine.current?.setLook({ color, lit, wireframe, edges });
  }, [color, lit, wireframe, edges]);
  const box = useAppSelector((s) => s.select.box);
  const compared = useCompared(piece, stage);
  const [split, setSplit] = useState(0.5);
  useEffect(() => {
    engine.current?.compare(compared?.content);
  }, [compared]);
  useEffect(() => {
    engine.current?.setSplit(split);
  }, [split]);
  const { section } = settings;
  useEffect(() => {
    const found = engine.current?.setSection(section);
    if (found) setExtent((old) => (old.join() === found.join() ? old : found));
    selectionClient.setSlab(section && found ? slabOf(section, found) : null);
    // The extent of what is shown follows the points as they arrive.
  }, [section, counts.points, counts.triangles, layoutKey]);
  const { lookedAt } = settings;
  useEffect(() => {
    if (lookedAt) engine.current?.lookAt(lookedAt.place, lookedAt.size, lookedAt.from);
  }, [lookedAt]);
  useEffect(() => {
    engine.current?.mark(settings.tool === 'measure' ? pickedPoints(measure) : []);
  }, [measure, settings.tool]);

  useEffect(() => {
    if (stage !== 'clean' && stage !== 'register') return;
    return selectionClient.addViewer({
      marks: (m) => engine.current?.markPoints(m.scanId, m.selected, m.leaving),
      levels: (scanId, levels) => engine.current?.colorByLevel(scanId, levels),
    });
  }, [stage]);

  useEffect(() => {
    if (!apart || !frameLevels) return;
    const shown = engine.current;
    shown?.colorByLevel(apart, frameLevels);
    return () => shown?.colorByLevel(apart, undefined);
  }, [apart, frameLevels]);

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
          className={`peer absolute inset-0 block h-full w-full touch-none ${selecting ? 'cursor-crosshair' : ''}`}
          aria-label="3D view. Arrow keys turn, Shift and arrows move, plus and minus zoom, F fits, 1 to 6 are standard views."
          data-points={counts.points}
          data-triangles={counts.triangles}
          onKeyDown={(e) => {
            if (e.key === 'Escape') {
              setMeasure(MEASURE_IDLE);
              gesture.cancel();
            } else if (e.key === 'Enter' && gesture.clickMiddle()) e.preventDefault();
            else if (e.key === 'Delete' && stage === 'clean' && selectionClient.current().total > 0)
              void selectionClient.cut('remove', '');
            else if (!engine.current?.key(e.key, e.shiftKey)) return;
            e.preventDefault();
          }}
          onPointerMove={(e) => {
            gesture.onPointerMove(e);
            if (e.buttons !== 0 || performance.now() - lastPick.current < 60) return;
            lastPick.current = performance.now();
            setPick(engine.current?.pick(e.clientX, e.clientY));
          }}
          onPointerLeave={() => setPick(undefined)}
          onPointerDown={(e) => {
            pressed.current = [e.clientX, e.clientY];
            gesture.onPointerDown(e);
          }}
          onPointerCancel={gesture.cancel}
          onPointerUp={(e) => {
            gesture.onPointerUp(e);
            const still = Math.hypot(e.clientX - pressed.current[0], e.clientY - pressed.current[1]) < 4;
            if (!still || settings.tool !== 'measure') return;
            const found = engine.current?.pick(e.clientX, e.clientY);
            if (found) setMeasure((m) => nextMeasureState(m, found));
          }}
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
        {box && stage === 'clean' && <BoxHandles engine={engine} box={box} />}
        <DrawingOverlay drawing={gesture.drawing} />
        {selecting && (
          <Plus
            aria-hidden
            className="pointer-events-none absolute left-1/2 top-1/2 hidden -translate-1/2 text-amber peer-focus-visible:block"
          />
        )}
        <ViewToolbar onFit={(v) => engine.current?.fit(v)} hasSurface={counts.triangles > 0} />
        {section && (
          <SectionForm
            section={section}
            extent={extent}
            onChange={(s) => dispatch(sectionSet(s))}
            onLook={() => engine.current?.lookAlong(section.axis)}
          />
        )}
        {error && (
          <div className="absolute bottom-3 left-3 max-w-md">
            <Notice tone="error">{error}</Notice>
          </div>
        )}
        {preview && (
          <div role="status" className="absolute bottom-3 left-3 rounded-lg border border-line bg-panel px-3 py-2">
            {preview.name} as the file has it, while it is stored
          </div>
        )}
        {settings.color === 'invented' && counts.triangles > 0 && <InventedLegend />}
        {settings.color === 'height' && counts.triangles === 0 && !section && <HeightLegend extent={extent} />}
        {settings.tool === 'measure' && (
          <div role="status" className="absolute bottom-3 left-3 rounded-lg border border-line bg-panel px-3 py-2">
            {measure.name === 'measured' ? (
              <>
                Distance <b className="num">{lengthText(measure.distance)}</b>
                {measure.from.snapped && measure.to.snapped ? ', from point to point' : ''}
              </>
            ) : measure.name === 'started' ? (
              'Click the other end. Escape starts again.'
            ) : (
              'Click one end of the distance.'
            )}
          </div>
        )}
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
            <span className="text-muted">
              {scanName}
              {pick.invented === true && 'invented surface'}
              {pick.invented === false && 'measured surface'}
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

/** What the two tints of the surface mean. */
function InventedLegend() {
  const tints: [string, string][] = [
    [SURFACE_TINTS.measured, 'measured by a scan'],
    [SURFACE_TINTS.invented, 'invented by filling'],
  ];
  return (
    <dl
      className="absolute bottom-3 right-3 m-0 rounded-lg border border-line bg-panel px-3 py-1.5"
      aria-label="Legend"
    >
      {tints.map(([color, meaning]) => (
        <div key={meaning} className="flex items-center gap-2">
          <dt className="h-3 w-3 rounded-sm" style={{ background: color }} />
          <dd className="m-0">{meaning}</dd>
        </div>
      ))}
    </dl>
  );
}

/** Which heights the two ends of the colour scale stand for. */
function HeightLegend({ extent: [from, to] }: { extent: readonly [number, number] }) {
  const stops = [0, 0.25, 0.5, 0.75, 1].map((t) => interpolateCividis(t)).join(', ');
  return (
    <div
      aria-label="Legend"
      className="num absolute bottom-3 right-3 flex items-center gap-2 rounded-lg border border-line bg-panel px-3 py-1.5"
    >
      {Math.round(from) || 0}
      <span className="h-3 w-28 rounded-sm" style={{ background: `linear-gradient(to right, ${stops})` }} />
      {Math.round(to) || 0} mm high
    </div>
  );
}
