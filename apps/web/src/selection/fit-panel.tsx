import { useEffect, useSyncExternalStore } from 'react';
import { LocateFixed } from 'lucide-react';
import type { PieceView } from '@amber-knit/contracts';
import { useAppDispatch, useAppSelector } from '../app/store';
import { placeLookedAt } from '../app/view-slice';
import { Button, ProgressBar } from '../shared/controls';
import { lengthText } from '@amber-knit/operations/quantity-text';
import { hasPlace } from '../view/piece-content';
import { selectionClient } from './selection-client';
import { SpreadChart } from './spread-chart';

/** How far the scans lie from one another: as colours in the view, as a histogram, and the worst places to go to. */
export function FitPanel({ piece }: { piece: PieceView }) {
  const view = useAppSelector((s) => s.view);
  const dispatch = useAppDispatch();
  const { spread, loading, busy, box } = useSyncExternalStore(selectionClient.subscribe, selectionClient.current);
  const shown = spread?.measure === 'residual' ? spread : null;
  const active = shown !== null || loading !== null;
  useEffect(() => {
    if (active) selectionClient.show(piece, view);
  }, [active, piece, view]);
  useEffect(() => () => selectionClient.forgetMeasure(), []);

  if (piece.scanList.filter(hasPlace).length < 2) return null;
  const measure = (): void => {
    selectionClient.show(piece, view);
    selectionClient.measure('residual');
  };
  const known = shown ? shown.counts.reduce((a, b) => a + b, 0) : 0;
  const alone = shown ? shown.unknown / Math.max(1, known + shown.unknown) : 0;
  return (
    <section aria-label="How well they fit" className="border-b border-line py-3">
      <h3 className="m-0 text-sm font-semibold">How well they fit</h3>
      {!shown && (
        <p className="mb-2 mt-1 text-muted">Colours every point by its distance from the surface of the other scans.</p>
      )}
      {loading !== null && <ProgressBar value={loading} label="Measuring" />}
      {shown && (
        <div className="mt-1 flex flex-col gap-1.5">
          <SpreadChart spread={shown} unit="mm" title="How distances between the scans are spread" />
          <p className="m-0">
            {shown.inSection ? 'In the section half' : 'Half'} of the points lie within{' '}
            <b className="num">{lengthText(shown.median)}</b> of the other scans, 95 % within{' '}
            <b className="num">{lengthText(shown.high)}</b>. <span className="num">{Math.round(100 * alone)} %</span>{' '}
            were seen by one scan only.
          </p>
          <h4 className="m-0 text-sm font-medium">Worst places</h4>
          <ol className="m-0 flex list-none flex-col gap-1 p-0">
            {shown.worst.map((w, k) => (
              <li key={w.place.join()}>
                <Button
                  className="w-full justify-start!"
                  title="Looks at this place"
                  onClick={() =>
                    dispatch(
                      placeLookedAt({
                        place: w.place,
                        size: box ? 0.12 * Math.hypot(...box.max.map((v, i) => v - box.min[i])) : 20,
                      }),
                    )
                  }
                >
                  <LocateFixed size={14} aria-hidden /> {k + 1}
                  <span className="num ml-auto">{lengthText(w.mean)} on average</span>
                </Button>
              </li>
            ))}
          </ol>
        </div>
      )}
      <div className="mt-2 flex gap-1">
        <Button onClick={measure} disabled={busy || loading !== null}>
          {shown ? 'Measure again' : 'Show the distances'}
        </Button>
        {shown && <Button onClick={() => selectionClient.forgetMeasure()}>Usual colours</Button>}
      </div>
    </section>
  );
}
