import { useSyncExternalStore } from 'react';
import type { SelectionJoin } from '@amber-knit/core/selection';
import type { PlaneSide } from '../app/select-slice';
import { selectingChanged, type SelectSettings } from '../app/select-slice';
import { useAppDispatch, useAppSelector } from '../app/store';
import type { SelectTool } from '../app/view-slice';
import { Button } from '../shared/controls';
import { NumberRow } from '../shared/number-row';
import { selectionClient } from './selection-client';
import { ballRadius } from './use-select-gesture';

const JOINS: [SelectionJoin, string, string][] = [
  ['replace', 'New', 'Starts a new selection'],
  ['add', 'Add', 'Adds to the selection (Shift)'],
  ['subtract', 'Take off', 'Takes off the selection (Alt)'],
  ['intersect', 'Both', 'Keeps only what is in both (Shift and Alt)'],
];
const SIDES: [PlaneSide, string][] = [
  ['on', 'the plane itself'],
  ['front', 'all in front of it'],
  ['behind', 'all behind it'],
];

/** Settings of the chosen tool, and how a new selection joins the one that stands. */
export function ToolOptions({ tool }: { tool: SelectTool }) {
  const settings = useAppSelector((s) => s.select);
  const dispatch = useAppDispatch();
  const change = (part: Partial<SelectSettings>): void => void dispatch(selectingChanged(part));
  const drawn = tool === 'lasso' || tool === 'rectangle' || tool === 'brush';
  return (
    <div className="mt-1.5 flex flex-col gap-1.5">
      <div role="group" aria-label="A new selection" className="grid grid-cols-4 gap-1">
        {JOINS.map(([id, title, help]) => (
          <Button
            key={id}
            aria-pressed={settings.join === id}
            title={help}
            className={`px-1! ${settings.join === id ? 'border-teal! bg-teal-soft!' : ''}`}
            onClick={() => change({ join: id })}
          >
            {title}
          </Button>
        ))}
      </div>
      {drawn && (
        <Check checked={settings.visibleOnly} onChange={(visibleOnly) => change({ visibleOnly })}>
          Only what is in front
        </Check>
      )}
      {tool === 'brush' && (
        <NumberRow
          title="Brush"
          unit="px"
          value={settings.brush}
          min={3}
          max={200}
          step={1}
          onChange={(brush) => change({ brush })}
        />
      )}
      {tool === 'ball' && (
        <NumberRow
          title="Radius"
          unit="mm"
          value={Math.round(10 * ballRadius(settings)) / 10}
          min={0.05}
          max={1000}
          step={0.5}
          onChange={(ball) => change({ ball })}
        />
      )}
      {tool === 'color' && (
        <NumberRow
          title="Difference"
          help="Difference of colours that still counts as alike; about 2 is just noticeable"
          unit="ΔE"
          value={settings.colorTolerance}
          min={1}
          max={100}
          step={1}
          onChange={(colorTolerance) => change({ colorTolerance })}
        />
      )}
      {tool === 'normal' && (
        <NumberRow
          title="Angle"
          unit="°"
          value={settings.maxAngleDeg}
          min={1}
          max={90}
          step={1}
          onChange={(maxAngleDeg) => change({ maxAngleDeg })}
        />
      )}
      {(tool === 'color' || tool === 'normal') && (
        <Check checked={settings.connected} onChange={(connected) => change({ connected })}>
          Only what hangs together
        </Check>
      )}
      {tool === 'plane' && (
        <>
          <label className="grid grid-cols-[4rem_1fr] items-center gap-2">
            Select
            <select
              value={settings.planeSide}
              onChange={(e) => change({ planeSide: e.target.value as PlaneSide })}
              className="min-w-0 rounded-lg border border-[var(--field)] bg-panel px-2 py-1"
            >
              {SIDES.map(([id, title]) => (
                <option key={id} value={id}>
                  {title}
                </option>
              ))}
            </select>
          </label>
          <NumberRow
            title="Distance"
            help="How far from the plane a point may lie, or must lie"
            unit="mm"
            value={settings.planeDistance}
            min={0.01}
            max={500}
            step={0.1}
            onChange={(planeDistance) => change({ planeDistance })}
          />
        </>
      )}
      <WholeSelection />
      <p className="m-0 text-[0.92em] text-muted">
        The right button, or two fingers, turn the view. Enter clicks in the middle of the view.
      </p>
    </div>
  );
}

/** What can be done to the selection as a whole. */
function WholeSelection() {
  const { spacing } = useSyncExternalStore(selectionClient.subscribe, selectionClient.current);
  const grow = 2.5 * spacing || 1;
  return (
    <div role="group" aria-label="The whole selection" className="flex flex-wrap gap-1">
      <Button className="px-2!" onClick={() => selectionClient.select({ kind: 'all' })}>
        All
      </Button>
      <Button className="px-2!" onClick={() => selectionClient.select({ kind: 'none' })}>
        None
      </Button>
      <Button className="px-2!" onClick={() => selectionClient.select({ kind: 'invert' })}>
        Invert
      </Button>
      <Button
        className="px-2!"
        title={`Adds what lies within ${grow.toFixed(1)} mm`}
        onClick={() => selectionClient.select({ kind: 'grow', radius: grow })}
      >
        Grow
      </Button>
      <Button
        className="px-2!"
        title={`Takes off a rim of ${grow.toFixed(1)} mm`}
        onClick={() => selectionClient.select({ kind: 'shrink', radius: grow })}
      >
        Shrink
      </Button>
    </div>
  );
}

function Check({
  checked,
  onChange,
  children,
}: {
  checked: boolean;
  onChange(checked: boolean): void;
  children: string;
}) {
  return (
    <label className="flex items-center gap-2">
      <input
        type="checkbox"
        checked={checked}
        onChange={(e) => onChange(e.target.checked)}
        className="h-4.5 w-4.5 accent-[var(--amber)]"
      />
      {children}
    </label>
  );
}
