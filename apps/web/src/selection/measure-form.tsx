import { useState } from 'react';
import { useAppSelector } from '../app/store';
import { Fold } from '../shared/fold';
import { selectionClient } from './selection-client';
import type { Measure, MeasureSpread } from './selection-messages';
import { SpreadChart } from './spread-chart';

/** What points can be judged by: what it finds, its unit, and whether low or high values are the suspicious ones. */
const MEASURES: Record<Measure, { title: string; help: string; unit: string; low: boolean; start: number }> = {
  density: {
    title: 'Lonely points',
    help: 'Points with few neighbours, over the usual number: flying pixels and dust.',
    unit: '',
    low: true,
    start: 0.25,
  },
  angle: {
    title: 'Seen at a flat angle',
    help: 'Angle between the line of sight and the surface’s normal: above about 80° points are noisy.',
    unit: '°',
    low: false,
    start: 82,
  },
  piece: {
    title: 'Small loose pieces',
    help: 'Size of the loose piece that a point belongs to, over the largest.',
    unit: '%',
    low: true,
    start: 2,
  },
  distance: {
    title: 'Far away',
    help: 'Distance from the middle of the scan: the background lies far out.',
    unit: 'mm',
    low: false,
    start: Infinity,
  },
  spacing: {
    title: 'Local spacing',
    help: 'Distance to the nearest other point: wide where the scanner stood far off or to the side.',
    unit: 'mm',
    low: false,
    start: Infinity,
  },
  noise: {
    title: 'Local noise',
    help: 'Distance of a point from the surface that its neighbours make.',
    unit: 'mm',
    low: false,
    start: Infinity,
  },
  brightness: {
    title: 'Brightness',
    help: 'Lightness of the colour, or of the returned light: very dark and very bright points are measured badly.',
    unit: '%',
    low: true,
    start: 3,
  },
  residual: {
    title: 'Off the other scans',
    help: 'Distance from the surface of the other scans, where they have seen the same place.',
    unit: 'mm',
    low: false,
    start: Infinity,
  },
};

/** Selecting by a measure: a histogram, and a threshold that marks at once what would go. */
export function MeasureForm({ spread }: { spread: MeasureSpread | null }) {
  return (
    <Fold title="By a measure">
      <label className="grid grid-cols-[5rem_1fr] items-center gap-2">
        Find
        <select
          value={spread?.measure ?? ''}
          onChange={(e) =>
            e.target.value === '' ? selectionClient.forgetMeasure() : selectionClient.measure(e.target.value as Measure)
          }
          className="min-w-0 rounded-lg border border-[var(--field)] bg-panel px-2 py-1"
        >
          <option value="">choose …</option>
          {Object.entries(MEASURES).map(([id, m]) => (
            <option key={id} value={id}>
              {m.title}
            </option>
          ))}
        </select>
      </label>
      {spread && <Threshold key={spread.measure} spread={spread} />}
    </Fold>
  );
}

function Threshold({ spread }: { spread: MeasureSpread }) {
  const join = useAppSelector((s) => s.select.join);
  const { title, help, unit, low, start } = MEASURES[spread.measure];
  const top = spread.edges[spread.edges.length - 1];
  const [at, setAt] = useState<number | null>(null);
  const value = at ?? Math.min(start, top);
  const range = (v: number) => (low ? { from: -Infinity, to: v } : { from: v, to: Infinity });
  const choose = (v: number): void => {
    setAt(v);
    selectionClient.select({ kind: 'measure', measure: spread.measure, ...range(v) }, join);
  };
  const known = spread.counts.reduce((a, b) => a + b, 0);
  if (known === 0) return <p className="m-0 text-muted">This can’t be told for the scans that are shown.</p>;
  return (
    <>
      <p className="m-0 text-muted">{help} Heights grow with the root of the number of points.</p>
      <SpreadChart
        spread={spread}
        unit={unit}
        title={`How ${title.toLowerCase()} are spread`}
        chosen={at === null ? undefined : range(value)}
      />
      <label className="flex flex-col">
        <span>
          {low ? 'Select below' : 'Select above'}{' '}
          <b className="num">
            {value.toFixed(spread.measure === 'density' || spread.measure === 'residual' ? 2 : 1)} {unit}
          </b>
        </span>
        <input
          type="range"
          min={0}
          max={top}
          step={top / 500 || 1}
          value={value}
          onChange={(e) => choose(e.target.valueAsNumber)}
          onKeyUp={(e) => at === null && e.key === 'Enter' && choose(value)}
          onPointerUp={() => at === null && choose(value)}
          className="accent-[var(--amber)]"
        />
      </label>
      {spread.unknown > 0 && (
        <p className="m-0 text-muted">It can’t be told for {spread.unknown.toLocaleString('en-US')} points.</p>
      )}
    </>
  );
}
