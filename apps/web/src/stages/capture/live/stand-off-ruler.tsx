import { useMemo } from 'react';
import * as d3 from 'd3';
import type { StandOff } from '@amber-knit/core/tracking';

const WIDTH = 640;
const HEIGHT = 62;
const PAD = 14;

const WORDS: Record<StandOff['word'], string> = {
  near: 'Too near: step back',
  good: 'Good distance',
  far: 'Too far: come closer',
  nothing: 'Nothing in range',
};

/** The working range in mm with the distances measured now; the notch is the best distance. */
export function StandOffRuler({
  range,
  standOff,
}: {
  range: { near: number; best: number; far: number };
  standOff: StandOff | undefined;
}) {
  const margin = 0.25 * (range.far - range.near);
  const from = Math.max(0, range.near - margin);
  const to = range.far + margin;
  const x = useMemo(() => d3.scaleLinear([from, to], [PAD, WIDTH - PAD]), [from, to]);
  const ticks = x.ticks(7);
  const area = useMemo(() => {
    if (!standOff) return '';
    const counts = Array.from(standOff.histogram);
    const top = Math.max(1, ...counts);
    const step = (standOff.to - standOff.from) / counts.length;
    const shape = d3
      .area<number>()
      .x((_c, i) => x(standOff.from + (i + 0.5) * step))
      .y0(34)
      .y1((c) => 34 - (28 * c) / top)
      .curve(d3.curveMonotoneX);
    return shape(counts) ?? '';
  }, [standOff, x]);
  const word = standOff?.word ?? 'nothing';
  const median = standOff && Number.isFinite(standOff.median) ? standOff.median : undefined;
  return (
    <figure className="m-0 flex items-center gap-4" aria-label="Distance to the object">
      <svg
        viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
        className="h-[62px] min-w-0 flex-1"
        preserveAspectRatio="none"
        aria-hidden
      >
        <defs>
          <linearGradient id="stand-off">
            <stop offset="0" stopColor="#6b4099" />
            <stop offset={(range.best - range.near) / (range.far - range.near)} stopColor="#cc8019" />
            <stop offset="1" stopColor="#526173" />
          </linearGradient>
          <pattern id="out-of-range" width="6" height="6" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
            <rect width="6" height="6" fill="var(--sunk)" />
            <rect width="2.5" height="6" fill="var(--field)" />
          </pattern>
        </defs>
        <rect x={PAD} y={34} width={WIDTH - 2 * PAD} height={9} fill="url(#out-of-range)" />
        <rect x={x(range.near)} y={34} width={x(range.far) - x(range.near)} height={9} fill="url(#stand-off)" />
        <path d={area} fill="var(--teal)" opacity={0.75} />
        <path d={`M${x(range.best)},30 l-5,-8 h10 z`} fill="var(--amber)" />
        {median !== undefined && (
          <line x1={x(median)} x2={x(median)} y1={2} y2={45} stroke="var(--ink)" strokeWidth={1.5} />
        )}
        {ticks.map((t) => (
          <g key={t} transform={`translate(${x(t)},43)`}>
            <line y2={4} stroke="var(--field)" />
            <text y={15} textAnchor="middle" fontSize={11} fill="var(--muted)" className="num">
              {t}
            </text>
          </g>
        ))}
      </svg>
      <figcaption className="w-40 shrink-0">
        <div className="num text-lg font-semibold">{median === undefined ? '–' : `${Math.round(median)} mm`}</div>
        <div className={word === 'good' ? 'text-teal' : 'text-brick'}>{WORDS[word]}</div>
      </figcaption>
    </figure>
  );
}
