import { useEffect } from 'react';
import { boxChanged, type CropBox } from '../app/select-slice';
import { useAppDispatch, useAppSelector } from '../app/store';
import { Button } from '../shared/controls';
import { FACES, sideAt } from './crop-box';
import { Fold } from '../shared/fold';
import { selectionClient } from './selection-client';
import type { SelectionState } from './selection-messages';

const AXES = ['x', 'y', 'z'] as const;

/** Selecting by a box: its sides are typed, or dragged in the view by their handles. */
export function BoxForm({ box }: { box: SelectionState['box'] }) {
  if (!box) return null;
  return (
    <Fold title="Box">
      <BoxSides around={around(box)} />
    </Fold>
  );
}

/** The box in whole millimetres round what is shown. */
function around({ min, max }: NonNullable<SelectionState['box']>): CropBox {
  return { min: min.map(Math.floor) as CropBox['min'], max: max.map(Math.ceil) as CropBox['max'] };
}

function BoxSides({ around: all }: { around: CropBox }) {
  const join = useAppSelector((s) => s.select.join);
  const shown = useAppSelector((s) => s.select.box);
  const dispatch = useAppDispatch();
  const box = shown ?? all;
  // It is in the view as long as its sides are in the panel.
  useEffect(() => {
    if (!shown) dispatch(boxChanged(all));
  }, [shown, all, dispatch]);
  useEffect(() => () => void dispatch(boxChanged(null)), [dispatch]);
  return (
    <>
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
              {FACES.filter((f) => f.axis === k).map((face) => (
                <td key={face.end} className="py-0.5 pr-1">
                  <input
                    type="number"
                    step="any"
                    aria-label={`${axis} ${face.end === 'min' ? 'from' : 'to'}, mm`}
                    value={Number(box[face.end][k].toFixed(2))}
                    onChange={(e) => {
                      const v = e.target.valueAsNumber;
                      if (Number.isFinite(v)) dispatch(boxChanged(sideAt(box, face, v)));
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
        <Button className="px-2!" onClick={() => selectionClient.select({ kind: 'box', ...box }, join)}>
          Select inside
        </Button>
        <Button
          className="px-2!"
          onClick={() => {
            selectionClient.select({ kind: 'box', ...box });
            selectionClient.select({ kind: 'invert' });
          }}
        >
          Select outside
        </Button>
        <Button className="px-2!" onClick={() => dispatch(boxChanged(all))}>
          Around all
        </Button>
      </div>
    </>
  );
}
