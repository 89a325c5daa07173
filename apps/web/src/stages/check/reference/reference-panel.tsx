import { useState } from 'react';
import { LocateFixed } from 'lucide-react';
import { OPERATION_IDS } from '@amber-knit/operations/operation-ids';
import { lengthText } from '@amber-knit/operations/quantity-text';
import { api, problemText } from '../../../api/api';
import { useAppDispatch } from '../../../app/store';
import { placeLookedAt } from '../../../app/view-slice';
import { Button, Check, SelectRow, IconButton, Notice, ProgressBar } from '../../../shared/controls';
import { FileButton, SURFACE_FILES } from '../../../shared/file-button';
import { NumberRow } from '../../../shared/number-row';
import { useStore } from '../../../shared/store';
import type { StagePanelProps } from '../../stage-module';
import { OtherPieceButton, useSentSurface } from '../other-surface';
import { referenceDesk } from './reference-desk';

const PLACES = { anywhere: 'Find it, then fit', near: 'Fit from here', 'as-is': 'As they lie' };
const UNITS = { mm: 'Millimetres', cm: 'Centimetres', m: 'Metres', in: 'Inches' };

/** The piece against a reference: choose its file, see how far each place lies off. */
export function ReferencePanel({ piece, steps, busy }: StagePanelProps) {
  const { deviation, failed, shown } = useStore(referenceDesk);
  const [again, { error }] = api.useRunAgainMutation();
  const [place, setPlace] = useState<keyof typeof PLACES>('anywhere');
  const [unit, setUnit] = useState<keyof typeof UNITS>('mm');
  const [tolerance, setTolerance] = useState(0.2);
  const { send, bring, sending, refused } = useSentSurface(piece.id, OPERATION_IDS.checkCompare);
  const dispatch = useAppDispatch();
  if (!piece.mesh) return null;
  const last = steps.filter((s) => s.operationId === OPERATION_IDS.checkCompare).pop();
  return (
    <section aria-label="Against a reference" className="relative border-b border-line py-3">
      <h3 className="m-0 mb-1 text-sm font-semibold">Against a reference</h3>
      {!deviation && (
        <p className="mb-2 mt-0 text-muted">
          A plan, an older scan, a mould: lays the piece on it and shows how far each place lies off. Takes STL, OBJ,
          PLY, OFF, GLB and 3MF.
        </p>
      )}
      <SelectRow title="Place" value={place} choices={PLACES} onChange={(v: typeof place) => setPlace(v)} />
      <SelectRow title="Unit of the file" value={unit} choices={UNITS} onChange={(v: typeof unit) => setUnit(v)} />
      <div className="h-1" aria-hidden />
      <NumberRow
        title="Tolerance"
        help="Up to this the surface counts as right."
        unit="mm"
        min={0.001}
        max={1000}
        step={0.05}
        value={tolerance}
        onChange={setTolerance}
      />
      <div className="mt-2 flex flex-wrap gap-1">
        <FileButton
          label="File of the reference"
          accept={SURFACE_FILES}
          tone={deviation ? 'plain' : 'go'}
          disabled={busy || sending !== null}
          onFile={(file) => send(file, { place, unit, tolerance })}
        >
          {deviation ? 'Another reference …' : 'Choose a reference …'}
        </FileButton>
        <OtherPieceButton
          piece={piece}
          label="Another piece …"
          disabled={busy || sending !== null}
          onChoose={(artifact) => bring(artifact, { place, tolerance })}
        />
        {last && (
          <Button disabled={busy} onClick={() => void again({ id: last.id, params: { place, unit, tolerance } })}>
            Compare again
          </Button>
        )}
      </div>
      {sending !== null && (
        <div className="mt-2">
          <ProgressBar value={sending} label="Sending the reference" />
        </div>
      )}
      {refused && <Notice tone="error">{refused}</Notice>}
      {failed && <Notice tone="error">{failed}</Notice>}
      {error && <Notice tone="error">{problemText(error)}</Notice>}
      {deviation && (
        <>
          <div className="mt-2">
            <Check checked={shown} onChange={() => referenceDesk.show(!shown)}>
              Show deviations from {deviation.reference}
            </Check>
          </div>
          {deviation.worst.length > 0 && (
            <>
              <h4 className="mb-0.5 mt-2 text-sm font-semibold">Furthest off</h4>
              <ol className="m-0 flex list-none flex-col p-0">
                {deviation.worst.map((w, i) => (
                  <li key={i} className="flex items-center gap-2 rounded-lg px-1 hover:bg-sunk">
                    <b className="num w-5 text-right">{i + 1}</b>
                    <span className="num flex-1">
                      {w.deviation > 0 ? '+' : '−'}
                      {lengthText(Math.abs(w.deviation))}
                    </span>
                    <span className="text-muted">{w.deviation > 0 ? 'outwards' : 'inwards'}</span>
                    <IconButton
                      label={`Go to place ${i + 1}`}
                      onClick={() => dispatch(placeLookedAt({ place: w.place, size: 25 }))}
                    >
                      <LocateFixed size={15} aria-hidden />
                    </IconButton>
                  </li>
                ))}
              </ol>
            </>
          )}
        </>
      )}
    </section>
  );
}
