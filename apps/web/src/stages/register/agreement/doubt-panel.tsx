import { useEffect, useState } from 'react';
import { ChevronLeft, ChevronRight } from 'lucide-react';
import { OPERATION_IDS } from '@amber-knit/operations/operation-ids';
import type { DoubtView, PieceView } from '@amber-knit/contracts';
import { api, problemText } from '../../../api/api';
import { useAppDispatch, useAppSelector } from '../../../app/store';
import { comparedWith, placeTried } from '../../../app/view-slice';
import { Button, Notice } from '../../../shared/controls';
import { StateGlyph } from '../../../shared/state-glyph';
import { useCloudSamples, type CloudSample } from './cloud-samples';
import { PlacePicture } from './place-picture';
import { agreementRows, motionWords, reasonWords } from './place-words';

/** Scans that fit in several places: shows the places with what speaks for each, and lets the operator choose. */
export function DoubtPanel({ piece, busy }: { piece: PieceView; busy: boolean }) {
  const [at, setAt] = useState(0);
  const samples = useCloudSamples(piece);
  const [run, { error, isLoading }] = api.useRunOperationMutation();
  const { doubts } = piece;
  const index = Math.min(at, doubts.length - 1);
  const doubt = doubts[index];
  const scans = doubts.reduce((n, d) => n + d.scans.length, 0);
  const choose = (scan: string, place: number): void =>
    void run({ pieceId: piece.id, operationId: OPERATION_IDS.registerChoose, params: { scan, place } });
  return (
    <section aria-label="Scans in doubt" className="border-b border-line py-3">
      <h3 className="m-0 flex items-center gap-2 text-sm font-semibold">
        <StateGlyph state="placed" color="var(--amber)" /> {scans === 1 ? '1 scan' : `${scans} scans`} in doubt
      </h3>
      <p className="mb-2 mt-1 text-muted">
        Placed, not registered, until you decide. Pick a place to try it in the view; nothing is changed until you
        choose.
      </p>
      <div className="flex items-center gap-1.5">
        <span className="min-w-0 flex-1 truncate font-medium" title={doubt.scans.join(', ')}>
          {namesOf(doubt)}
        </span>
        <Button
          tone="quiet"
          className="px-1"
          aria-label="Scans before these"
          disabled={index === 0}
          onClick={() => setAt(index - 1)}
        >
          <ChevronLeft size={17} />
        </Button>
        <span className="num text-muted">
          {index + 1} of {doubts.length}
        </span>
        <Button
          tone="quiet"
          className="px-1"
          aria-label="Scans after these"
          disabled={index === doubts.length - 1}
          onClick={() => setAt(index + 1)}
        >
          <ChevronRight size={17} />
        </Button>
      </div>
      <Places
        key={doubt.scans.join()}
        piece={piece}
        doubt={doubt}
        samples={samples}
        busy={busy || isLoading}
        onChoose={(place) => choose(doubt.scans[0], place)}
      />
      {error && <Notice tone="error">{problemText(error)}</Notice>}
      <div className="mt-3 border-t border-line pt-2">
        <Button className="w-full" disabled={busy || isLoading} onClick={() => choose('', 0)}>
          Leave all {scans} where they are
        </Button>
        <p className="mb-0 mt-1 text-muted">
          Right where nothing tells the places apart. To let the paint decide, put dots or tape where every scan sees
          some of it, and scan again.
        </p>
      </div>
    </section>
  );
}

function Places({
  piece,
  doubt,
  samples,
  busy,
  onChoose,
}: {
  piece: PieceView;
  doubt: DoubtView;
  samples: ReadonlyMap<string, CloudSample>;
  busy: boolean;
  onChoose: (place: number) => void;
}) {
  const [tried, setTried] = useState(0);
  const dispatch = useAppDispatch();
  const swiped = useAppSelector((s) => s.view.compared === 'untried');
  useEffect(() => {
    dispatch(placeTried({ scans: doubt.scans, pieceFromPiece: doubt.places[tried].pieceFromPiece }));
  }, [dispatch, doubt, tried]);
  useEffect(() => () => void dispatch(placeTried(null)), [dispatch]);
  return (
    <fieldset className="m-0 mt-1 min-w-0 border-0 p-0">
      <legend className="sr-only">Places for {namesOf(doubt)}</legend>
      <p className="mb-2 mt-0 text-muted">{reasonWords(doubt)}</p>
      <div className="flex flex-col gap-2">
        {doubt.places.map((place, i) => (
          <label
            key={i}
            className={`grid cursor-pointer grid-cols-[7.4rem_1fr] gap-2.5 rounded-lg border p-1.5 has-focus-visible:outline-2 ${
              tried === i ? 'border-amber bg-sunk' : 'border-line'
            }`}
          >
            <PlacePicture piece={piece} doubt={doubt} place={place} samples={samples} />
            <span className="min-w-0">
              <span className="flex items-center gap-1.5">
                <input
                  type="radio"
                  name={`place-${doubt.scans[0]}`}
                  checked={tried === i}
                  onChange={() => {
                    setTried(i);
                    if (i === 0 && swiped) dispatch(comparedWith(null));
                  }}
                  className="accent-[var(--amber)]"
                />
                <b>{i === 0 ? 'Now' : `Place ${i}`}</b>
              </span>
              {i > 0 && <span className="block text-muted">{motionWords(place.pieceFromPiece)}</span>}
              <dl className="num m-0 grid grid-cols-[1fr_auto] gap-x-1 text-[0.88em]">
                {agreementRows(place.agreement).map((row) => (
                  <div key={row.name} className="contents" title={row.help}>
                    <dt className="text-muted">{row.name}</dt>
                    <dd className="m-0 whitespace-nowrap text-right">{row.value}</dd>
                  </div>
                ))}
              </dl>
            </span>
          </label>
        ))}
      </div>
      <Button
        className="mt-2 w-full aria-pressed:border-teal! aria-pressed:bg-teal-soft!"
        aria-pressed={swiped}
        disabled={tried === 0}
        title={tried === 0 ? 'Pick another place first' : undefined}
        onClick={() => dispatch(comparedWith(swiped ? null : 'untried'))}
      >
        Compare with now in the view
      </Button>
      <Button tone="go" className="mt-2 w-full" disabled={busy} onClick={() => onChoose(tried)}>
        {tried === 0 ? 'It belongs where it is' : `It belongs in place ${tried}`}
      </Button>
    </fieldset>
  );
}

function namesOf({ scans }: DoubtView): string {
  return scans.length === 1 ? scans[0] : `${scans[0]} and ${scans.length - 1} that move with it`;
}
