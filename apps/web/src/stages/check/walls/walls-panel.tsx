import { LocateFixed } from 'lucide-react';
import { OPERATION_IDS } from '@amber-knit/operations/operation-ids';
import { areaText, lengthText, measuredText, shareText } from '@amber-knit/operations/quantity-text';
import { api, problemText } from '../../../api/api';
import { useAppDispatch } from '../../../app/store';
import { placeLookedAt } from '../../../app/view-slice';
import { Button, Check, IconButton, Notice, SelectRow } from '../../../shared/controls';
import { NumberRow } from '../../../shared/number-row';
import { useStore } from '../../../shared/store';
import type { StagePanelProps } from '../../stage-module';
import { wallsDesk, type WallTerms } from './walls-desk';

const METHODS: Record<WallTerms['method'], string> = { ray: 'Straight through', ball: 'By a ball' };
/** Places that are shown before all are asked for. */
const FIRST = 8;

/** How thick the walls are: measured in the browser, kept as a step when wanted. */
export function WallsPanel({ piece, busy }: StagePanelProps) {
  const { terms, found, busy: measuring, failed, shown } = useStore(wallsDesk);
  const [keep, { error, isLoading }] = api.useRunOperationMutation();
  const dispatch = useAppDispatch();
  if (!piece.mesh) return null;
  const meshId = piece.mesh.id;
  const map = found?.meshId === meshId ? found.map : null;
  const isOther = found && (found.terms.least !== terms.least || found.terms.method !== terms.method);
  return (
    <section aria-label="Walls" className="relative border-b border-line py-3">
      <h3 className="m-0 mb-1 text-sm font-semibold">Walls</h3>
      {!map && (
        <p className="mb-2 mt-0 text-muted">
          Colours the surface by the thickness of the wall behind each place, and lists where it is thinner than wanted.
          {piece.watertight === false && ' The surface is not closed: near its holes there is no other side.'}
        </p>
      )}
      <NumberRow
        title="Thinnest wall"
        help="Walls thinner than this are too thin. 1.2 mm suits many printers; common practice, no source."
        unit="mm"
        min={0.01}
        max={1000}
        step={0.1}
        value={terms.least}
        onChange={(least) => wallsDesk.set({ least })}
      />
      <SelectRow
        title="Measured"
        value={terms.method}
        choices={METHODS}
        onChange={(method: WallTerms['method']) => wallsDesk.set({ method })}
      />
      <div className="mt-2 flex flex-wrap gap-1">
        <Button
          tone={map && !isOther ? 'plain' : 'go'}
          disabled={measuring}
          onClick={() => void wallsDesk.measure(meshId)}
        >
          {measuring ? 'Measuring …' : map ? 'Measure again' : 'Measure the walls'}
        </Button>
        {measuring && <Button onClick={() => wallsDesk.cancel()}>Cancel</Button>}
        {map && !isOther && (
          <Button
            disabled={busy || isLoading}
            onClick={() =>
              void keep({
                pieceId: piece.id,
                operationId: OPERATION_IDS.checkWalls,
                params: { wall: terms.least, method: terms.method },
              })
            }
          >
            Keep as a step
          </Button>
        )}
      </div>
      {failed && <Notice tone="error">{failed}</Notice>}
      {error && <Notice tone="error">{problemText(error)}</Notice>}
      {map && found && (
        <>
          <p className="mb-1 mt-2">
            {map.places.length === 0
              ? `No wall thinner than ${lengthText(found.terms.least)}.`
              : `${shareText(map.thinRatio)} of the surface is thinner than ${lengthText(found.terms.least)}${
                  map.unsureRatio > 0.01
                    ? `; of that ${shareText(map.unsureRatio)} may be thick enough, the scans do not tell`
                    : ''
                }.`}
          </p>
          <Check checked={shown} onChange={() => wallsDesk.show(!shown)}>
            Show walls on the surface
          </Check>
          {map.places.length > 0 && (
            <>
              <h4 className="mb-0.5 mt-2 text-sm font-semibold">Too thin, the broadest first</h4>
              <ol className="m-0 flex list-none flex-col p-0">
                {map.places.slice(0, FIRST).map((w, i) => (
                  <li key={i} className="flex items-center gap-2 rounded-lg px-1 hover:bg-sunk">
                    <b className="num w-5 text-right">{i + 1}</b>
                    <span className="num flex-1 whitespace-nowrap">
                      {measuredText({ kind: 'length', value: w.thickness, uncertainty: w.uncertainty })}
                      <span className="block text-[0.86em] text-muted">on {areaText(w.area)}</span>
                    </span>
                    <IconButton
                      label={`Go to thin place ${i + 1}`}
                      onClick={() =>
                        dispatch(placeLookedAt({ place: w.place, size: Math.max(10, 3 * Math.sqrt(w.area)) }))
                      }
                    >
                      <LocateFixed size={15} aria-hidden />
                    </IconButton>
                  </li>
                ))}
              </ol>
              {map.places.length > FIRST && (
                <p className="mb-0 mt-1 text-muted">and {map.places.length - FIRST} smaller ones</p>
              )}
            </>
          )}
        </>
      )}
    </section>
  );
}
