import { useEffect, useState, useSyncExternalStore } from 'react';
import {
  Brush,
  Circle,
  Compass,
  Lasso,
  Layers2,
  Pipette,
  Puzzle,
  Redo2,
  Scissors,
  SquareDashed,
  Undo2,
} from 'lucide-react';
import { OPERATION_IDS } from '@amber-knit/operations/operation-ids';
import type { PieceView, StepView } from '@amber-knit/contracts';
import { useAppDispatch, useAppSelector } from '../app/store';
import { isSelectTool, toolChosen, type SelectTool } from '../app/view-slice';
import { Button, Notice, ProgressBar } from '../shared/controls';
import { BoxForm } from './box-form';
import { MeasureForm } from './measure-form';
import { NamedSelections } from './named-selections';
import { selectionClient } from './selection-client';
import { ToolOptions } from './tool-options';

const TOOLS: [SelectTool, string, typeof Lasso, string][] = [
  ['lasso', 'Lasso', Lasso, 'Draw around points.'],
  ['rectangle', 'Rectangle', SquareDashed, 'Draw a rectangle around points.'],
  ['brush', 'Brush', Brush, 'Paint over points, as the view shows them.'],
  ['ball', 'Ball', Circle, 'Sweep a ball over the surface: what it touches is selected.'],
  ['piece', 'Loose piece', Puzzle, 'Click on a piece: all that hangs together with it is selected.'],
  ['color', 'Like colour', Pipette, 'Click on a point: points of a similar colour are selected.'],
  ['normal', 'Like direction', Compass, 'Click on a point: surface that faces the same way is selected.'],
  ['plane', 'Plane', Layers2, 'Click on something flat: its plane, or one side of it, is selected.'],
];

/** Selecting points in the view, and cutting them. */
export function SelectPanel({ piece, steps, busy }: { piece: PieceView; steps: readonly StepView[]; busy: boolean }) {
  const view = useAppSelector((s) => s.view);
  const dispatch = useAppDispatch();
  const selection = useSyncExternalStore(selectionClient.subscribe, selectionClient.current);
  const tool = isSelectTool(view.tool) ? view.tool : null;
  const [name, setName] = useState('part');

  useEffect(() => selectionClient.show(piece, view), [piece, view]);
  // Other stages turn and measure.
  useEffect(
    () => () => {
      dispatch(toolChosen('turn'));
      selectionClient.forgetMeasure();
    },
    [dispatch],
  );
  const newest = steps.filter((s) => s.operationId === OPERATION_IDS.cleanCut).pop();
  const undone = newest?.status === 'failed' || newest?.status === 'cancelled' ? newest.id : null;
  useEffect(() => {
    if (undone) selectionClient.restore();
  }, [undone]);

  const { total, loading } = selection;
  const can = total > 0 && !selection.sending && !busy;
  const scans = Object.keys(selection.counts).length;
  return (
    <section aria-label="Select points" className="border-b border-line py-3">
      <h3 className="m-0 mb-1.5 text-sm font-semibold">Select points</h3>
      {loading !== null && (
        <div className="mb-2" role="status">
          Reading the points <ProgressBar value={loading} label="Reading the points" />
        </div>
      )}
      <div role="group" aria-label="Selecting tools" className="grid grid-cols-2 gap-1">
        {TOOLS.map(([id, title, Icon, help]) => (
          <Button
            key={id}
            aria-pressed={tool === id}
            title={help}
            className={`justify-start! px-2! ${tool === id ? 'border-teal! bg-teal-soft!' : ''}`}
            onClick={() => dispatch(toolChosen(tool === id ? 'turn' : id))}
          >
            <Icon size={15} aria-hidden /> {title}
          </Button>
        ))}
      </div>
      {tool && <p className="mb-0 mt-1.5 text-muted">{TOOLS.find(([id]) => id === tool)![3]}</p>}
      {tool && <ToolOptions tool={tool} />}
      {selection.said && (
        <div className="mt-2">
          <Notice tone="error">{selection.said}</Notice>
        </div>
      )}
      <div className="mt-2 flex items-center gap-2" role="status" aria-label="Selection">
        <span className="num min-w-0 flex-1">
          {total > 0
            ? `${total.toLocaleString('en-US')} points in ${scans} ${scans === 1 ? 'scan' : 'scans'}`
            : 'Nothing selected'}
        </span>
        <Button
          className="px-2!"
          aria-label="Undo selecting"
          title="Undo selecting"
          disabled={!selection.canUndo}
          onClick={() => selectionClient.step('undo')}
        >
          <Undo2 size={15} />
        </Button>
        <Button
          className="px-2!"
          aria-label="Redo selecting"
          title="Redo selecting"
          disabled={!selection.canRedo}
          onClick={() => selectionClient.step('redo')}
        >
          <Redo2 size={15} />
        </Button>
      </div>
      <div className="mt-1.5 grid grid-cols-2 gap-1">
        <Button tone="go" disabled={!can} onClick={() => void selectionClient.cut('remove', '')}>
          <Scissors size={15} aria-hidden /> Cut away
        </Button>
        <Button
          disabled={!can}
          title="Cuts away everything else in the scans that are shown"
          onClick={() => {
            selectionClient.select({ kind: 'invert' }, 'replace', true);
            void selectionClient.cut('remove', '');
          }}
        >
          Keep only these
        </Button>
      </div>
      <div className="mt-1 grid grid-cols-[1fr_auto] gap-1">
        <input
          aria-label="Name of the part"
          value={name}
          maxLength={60}
          onChange={(e) => setName(e.target.value)}
          className="w-full min-w-0 rounded-lg border border-[var(--field)] bg-panel px-2 py-1"
        />
        <Button
          disabled={!can || name.trim() === ''}
          title="Makes new scans of the selected points; they stay where they are"
          onClick={() => void selectionClient.cut('split', name.trim())}
        >
          Split off
        </Button>
      </div>
      <BoxForm box={selection.box} />
      <MeasureForm spread={selection.spread} />
      <NamedSelections names={selection.names} some={total > 0} />
    </section>
  );
}
