import {
  ArrowUpFromLine,
  LassoSelect,
  CircleDashed,
  Eraser,
  PaintBucket,
  Slice,
  Spline,
  Waves,
  Minus,
} from 'lucide-react';
import { OPERATION_IDS } from '@amber-knit/operations/operation-ids';
import { useAppDispatch, useAppSelector } from '../../../app/store';
import { toolChosen } from '../../../app/view-slice';
import { Check, SelectRow } from '../../../shared/controls';
import { ToolGrid, type ToolChoice } from '../../../shared/hand/tool-grid';
import { useWork } from '../../../shared/hand/use-work';
import { WorkBar } from '../../../shared/hand/work-bar';
import { NumberRow } from '../../../shared/number-row';
import { useStore } from '../../../shared/store';
import type { StagePanelProps } from '../../stage-module';
import { handClient } from './hand-client';
import { handDesk, isBrush, type HandSettings, type HandTool } from './hand-desk';
import { keptEdits } from './kept-edits';

const TOOLS: readonly ToolChoice<HandTool>[] = [
  ['smooth', 'Smooth', 'Smooths what is smaller than the brush; the surface keeps its bend', Waves],
  ['push', 'Push', 'Lifts the surface, or sinks it with a length below 0', ArrowUpFromLine],
  ['flatten', 'Flatten', 'Makes flat, by the plane where the stroke begins', Minus],
  ['erase', 'Erase', 'Takes triangles away and leaves a hole', Eraser],
  ['refill', 'Refill', 'Takes a mark, a bump or a fault away and lets the surface go on over the place', PaintBucket],
  ['lasso', 'Lasso', 'Takes away what is drawn round, and lets the surface go on over it', LassoSelect],
  ['fill', 'Fill', 'Fills the hole that is clicked', CircleDashed],
  ['bridge', 'Bridge', 'Spans a strip from rim to rim: parts a wide hole, gives an island a hold', Spline],
  ['cut', 'Cut', 'Cuts along a plane and closes the cut', Slice],
];

const WORK = {
  client: handClient,
  kept: keptEdits,
  desk: handDesk,
  operationId: OPERATION_IDS.mendByHand,
  param: 'edits',
};

/** Work by hand on the surface: brushes, filling, bridges, cuts, each taken back alone, kept together as a step. */
export function HandPanel({ piece, steps, busy }: StagePanelProps) {
  const meshId = piece.mesh?.id;
  const settings = useStore(handDesk);
  const work = useStore(handClient);
  const { shown } = work;
  const otherTool = useAppSelector((s) => s.view.tool) !== 'turn';
  const dispatch = useAppDispatch();
  const { keep, waiting, error } = useWork(WORK, {
    pieceId: piece.id,
    surface: meshId,
    steps,
    busy,
    bounds: shown?.parts.bounds,
  });
  if (!meshId) return null;

  const { tool } = settings;
  const choose = (next: HandTool): void => {
    if (otherTool) dispatch(toolChosen('turn'));
    handClient.open(meshId);
    handDesk.choose(tool === next ? null : next);
  };
  return (
    <section aria-label="By hand" className="border-b border-line py-3">
      <h3 className="m-0 text-sm font-semibold">By hand</h3>
      <p className="mb-2 mt-1 text-muted">
        Work in the view. Each stroke can be taken back; what you keep becomes one step. What is invented is marked.
      </p>
      <ToolGrid tools={TOOLS} tool={tool} columns={5} disabled={busy} onChoose={choose} />
      {tool && <ToolOptions settings={settings} tool={tool} knowsErrors={Boolean(shown?.parts.expectedError)} />}
      <WorkBar
        work={work}
        called={['edit', 'edits']}
        error={error}
        busy={busy}
        waiting={waiting}
        onKeep={keep}
        onStep={(direction) => handClient.step(direction)}
        onDiscard={() => handClient.discard()}
      />
    </section>
  );
}

function ToolOptions({
  settings: s,
  tool,
  knowsErrors,
}: {
  settings: HandSettings;
  tool: HandTool;
  knowsErrors: boolean;
}) {
  return (
    <div className="mt-2 flex flex-col gap-1.5">
      {isBrush(tool) && (
        <NumberRow
          title="Brush"
          help="Radius of the brush. In the view: [ smaller, ] larger"
          unit="mm"
          value={s.radius}
          min={0.05}
          max={1000}
          step={0.5}
          onChange={(radius) => handDesk.set({ radius })}
        />
      )}
      {(tool === 'smooth' || tool === 'flatten') && (
        <NumberRow
          title="Strength"
          help="How much of the way one stroke goes"
          unit="%"
          value={100 * s.strength}
          min={5}
          max={100}
          step={5}
          onChange={(percent) => handDesk.set({ strength: percent / 100 })}
        />
      )}
      {tool === 'push' && (
        <NumberRow
          title="Outwards"
          help="How far the middle of the brush goes; below 0 it goes inwards"
          unit="mm"
          value={s.by}
          min={-1000}
          max={1000}
          step={0.1}
          onChange={(by) => handDesk.set({ by })}
        />
      )}
      {tool === 'smooth' && (
        <Check checked={s.keepEdges} onChange={() => handDesk.set({ keepEdges: !s.keepEdges })}>
          Keep edges
        </Check>
      )}
      {(tool === 'smooth' || tool === 'flatten') && knowsErrors && (
        <Check checked={s.withinError} onChange={() => handDesk.set({ withinError: !s.withinError })}>
          Stay within the expected error
        </Check>
      )}
      {tool === 'lasso' && (
        <>
          <Check checked={s.refill} onChange={() => handDesk.set({ refill: !s.refill })}>
            The surface goes on over the place
          </Check>
          <Check checked={s.through} onChange={() => handDesk.set({ through: !s.through })}>
            Through the object
          </Check>
        </>
      )}
      {tool === 'fill' && (
        <SelectRow
          title="Shape of fillings"
          value={s.shape}
          choices={{ smooth: 'As around', flat: 'Flat' }}
          onChange={(shape: HandSettings['shape']) => handDesk.set({ shape })}
        />
      )}
      {tool === 'bridge' && (
        <NumberRow
          title="Width"
          help="The bridge takes so much of the rim at both ends"
          unit="mm"
          value={s.width}
          min={0}
          max={1000}
          step={0.5}
          onChange={(width) => handDesk.set({ width })}
        />
      )}
      {tool === 'cut' && (
        <>
          <SelectRow
            title="Along"
            value={s.cutAlong}
            choices={{ drawn: 'A line drawn', level: 'Level, by a click' }}
            onChange={(cutAlong: HandSettings['cutAlong']) => handDesk.set({ cutAlong })}
          />
          <SelectRow
            title="Keep"
            value={s.keep}
            choices={{ larger: 'The larger part', smaller: 'The smaller part' }}
            onChange={(keep: HandSettings['keep']) => handDesk.set({ keep })}
          />
          <Check checked={s.cap} onChange={() => handDesk.set({ cap: !s.cap })}>
            Close the cut with a flat face
          </Check>
        </>
      )}
    </div>
  );
}
