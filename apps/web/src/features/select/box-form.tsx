import { useState } from 'react';
import { useAppSelector } from '../../app/store';
import { Button } from '../../shared/controls';
import { Fold } from './fold';
import { selectionClient } from './selection-client';
import type { SelectionState } from './selection-messages';

const AXES = ['x', 'y', 'z'] as const;

/** Selecting by a box with typed sides: crop one side at a time. */
export function BoxForm({ box }: { box: SelectionState['box'] }) {
  const join = useAppSelector((s) => s.select.join);
  const [typed, setTyped] = useState<Record<string, number>>({});
  if (!box) return null;
  const side = (which: 'min' | 'max', k: number): number =>
    typed[`${which}${k}`] ?? (which === 'min' ? Math.floor(box.min[k]) : Math.ceil(box.max[k]));
  const corner = (which: 'min' | 'max'): [number, number, number] => [side(which, 0), side(which, 1), side(which, 2)];
  const inside = (): void => selectionClient.select({ kind: 'box', min: corner('min'), max: corner('max') }, join);
  return (
    <Fold title="Box">
      <table className="w-full border-collapse">
        <thead>
          <tr className="text-left text-muted">
            <th className="w-8 font-normal">mm</th>
            <th className="font-normal">from</th>
            <th className="font-normal">to</th>
          </tr>
        </thead>
        <tbody>
          {AXES.map((axis, k) => (
            <tr key={axis}>
              <th className="text-left font-normal">{axis}</th>
              {(['min', 'max'] as const).map((which) => (
                <td key={which} className="py-0.5 pr-1">
                  <input
                    type="number"
                    step="any"
                    aria-label={`${axis} ${which === 'min' ? 'from' : 'to'}, mm`}
                    value={side(which, k)}
                    onChange={(e) => {
                      const v = e.target.valueAsNumber;
                      if (Number.isFinite(v)) setTyped({ ...typed, [`${which}${k}`]: v });
                    }}
                    className="num w-full min-w-0 rounded-lg border border-[var(--field)] bg-panel px-2 py-1"
                  />
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
      <div className="flex flex-wrap gap-1">
        <Button className="px-2!" onClick={inside}>
          Select inside
        </Button>
        <Button
          className="px-2!"
          onClick={() => {
            selectionClient.select({ kind: 'box', min: corner('min'), max: corner('max') });
            selectionClient.select({ kind: 'invert' });
          }}
        >
          Select outside
        </Button>
        <Button className="px-2!" onClick={() => setTyped({})}>
          Around all
        </Button>
      </div>
    </Fold>
  );
}
