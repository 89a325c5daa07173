import { useEffect, useState, useSyncExternalStore } from 'react';
import type { PieceView } from '@amber-knit/contracts';
import type { NextView } from '@amber-knit/core/next-views';
import { api } from '../../../api/api';
import { useAppDispatch } from '../../../app/store';
import { placeLookedAt, type ViewSettings } from '../../../app/view-slice';
import { Button, Notice, ProgressBar } from '../../../shared/controls';
import { NumberRow } from '../../../shared/number-row';
import { hasPlace } from '../../../view/piece-content';
import { foundWords, gainWords, setupWords, sideWords } from './next-view-words';
import { keyOf, nextViewsClient, type Scanner } from './next-views-client';

/** Stands for a scanner that is not known. */
const ANY = '';
/** Where the scanner usually stands, mm. */
const USUAL_DISTANCE = 350;

/** Where to scan next: places from which a scanner would see most of what no scan has seen, drawn in the view. */
export function NextViewsPanel({ piece }: { piece: PieceView }) {
  const dispatch = useAppDispatch();
  const { data: list } = api.useDevicesQuery();
  const [chosen, setChosen] = useState<string | null>(null);
  const [typed, setTyped] = useState<number | null>(null);
  const devices = list?.devices ?? [];
  const device = devices.find((d) => d.id === (chosen ?? piece.plan?.deviceId ?? devices[0]?.id));
  const half = Math.max(0, ...piece.scanList.map((s) => Number(s.cloud.facts.diagonal) || 0)) / 2;
  const distance = typed ?? (device ? Math.round((device.range.best + half) / 10) * 10 : USUAL_DISTANCE);
  const scanner: Scanner = device
    ? {
        reach: {
          distance,
          near: device.range.near,
          far: device.range.far,
          fieldOfView: Math.min(device.fieldOfView.horizontal, device.fieldOfView.vertical),
        },
        view: device.fieldOfView,
      }
    : { reach: { distance } };
  const state = useSyncExternalStore(nextViewsClient.subscribe, nextViewsClient.current);
  const key = keyOf(piece);
  useEffect(() => {
    // What was found for other placements no longer holds.
    const { for: known } = nextViewsClient.current();
    if (known !== null && known !== key) nextViewsClient.clear();
  }, [key]);
  useEffect(() => () => nextViewsClient.clear(), []);

  const { found, progress, failed, shown } = state;
  // The best place is shown at once.
  useEffect(() => {
    if (found?.views.length) dispatch(placeLookedAt(besideScanner(found.views[0])));
  }, [dispatch, found]);

  if (!piece.scanList.some(hasPlace)) return null;
  const show = (at: number): void => {
    nextViewsClient.show(shown === at ? null : at);
    if (shown !== at) dispatch(placeLookedAt(besideScanner(found!.views[at])));
  };
  return (
    <section aria-label="Where to scan next" className="border-b border-line py-3">
      <h3 className="m-0 text-sm font-semibold">Where to scan next</h3>
      {!found && (
        <p className="mb-2 mt-1 text-muted">
          Works out what no scan has seen yet or seen thinly, and from where a scanner would see most of it.
        </p>
      )}
      {found && found.views.length === 0 && (
        <p className="mb-2 mt-1">Nothing of size is left that a scanner could see from outside.</p>
      )}
      {found && found.views.length > 0 && (
        <>
          <p className="mb-1 mt-1">{foundWords(found)} Best places first; each counts what those before it leave.</p>
          <ol className="m-0 mb-2 flex list-none flex-col gap-1 p-0">
            {found.views.map((view, i) => (
              <li key={i}>
                <button
                  type="button"
                  aria-pressed={shown === i}
                  onClick={() => show(i)}
                  className="grid w-full grid-cols-[1.2rem_1fr_auto] gap-x-1.5 rounded-lg border border-line bg-transparent px-2 py-1 text-left hover:bg-sunk aria-pressed:border-amber aria-pressed:bg-sunk"
                >
                  <b className="num">{i + 1}</b>
                  <span>{sideWords(view)}</span>
                  <span className="num">{Math.round(100 * view.share)} %</span>
                  <span className="col-span-2 col-start-2 text-muted">
                    {setupWords(view)}; {gainWords(view)}
                  </span>
                </button>
              </li>
            ))}
          </ol>
        </>
      )}
      {failed && <Notice tone="error">{failed}</Notice>}
      {progress !== null && <ProgressBar value={progress} label="Looking round the piece" />}
      <label className="grid grid-cols-[1fr_auto] items-center gap-2">
        Scanner
        <select
          value={device?.id ?? ANY}
          onChange={(e) => {
            setChosen(e.target.value);
            setTyped(null);
          }}
          title={device && `${device.range.near} to ${device.range.far} mm, best ${device.range.best} mm`}
          className="max-w-44 rounded-lg border border-[var(--field)] bg-panel px-1 py-1"
        >
          {devices.map((d) => (
            <option key={d.id} value={d.id}>
              {d.name}
            </option>
          ))}
          <option value={ANY}>Any other</option>
        </select>
      </label>
      <NumberRow
        title="Distance"
        help="From the scanner to the middle of the piece."
        unit="mm"
        value={distance}
        min={50}
        max={5000}
        step={10}
        onChange={setTyped}
      />
      <div className="mt-2 flex gap-1">
        {progress === null ? (
          <Button onClick={() => nextViewsClient.look(piece, scanner)}>{found ? 'Look again' : 'Find places'}</Button>
        ) : (
          <Button onClick={() => nextViewsClient.clear()}>Stop</Button>
        )}
        {found && <Button onClick={() => nextViewsClient.clear()}>Put away</Button>}
      </div>
    </section>
  );
}

/** Between the piece and the scanner, so that both are in the picture, seen from the scanner's side. */
function besideScanner({ eye, target }: NextView): NonNullable<ViewSettings['lookedAt']> {
  const size = Math.hypot(...eye.map((v, k) => v - target[k]));
  return {
    place: target.map((v, k) => v + 0.4 * (eye[k] - v)) as [number, number, number],
    size: 0.46 * size,
    from: eye,
  };
}
