import { scaleLinear } from 'd3';

/** One bar of a histogram: from and to, in the unit of its scale, and how much there is. */
export interface Bar {
  from: number;
  to: number;
  count: number;
}

const [WIDTH, HEIGHT] = [250, 64];

/** What the colours on a surface mean, with how much of it has which: a histogram over the colour scale, in a corner of the view. */
export function HistogramLegend({
  label,
  told,
  bars,
  most,
  tint,
  limits,
  ticks,
  low,
  high,
  note,
}: {
  label: string;
  /** The histogram in words. */
  told: string;
  bars: readonly Bar[];
  /** The count that fills the height; what is more is cut off. */
  most: number;
  tint(value: number): string;
  /** Values at which a line stands. */
  limits: readonly number[];
  ticks: readonly (readonly [value: number, text: string])[];
  /** What lies at both ends. */
  low: string;
  high: string;
  note: string;
}) {
  const [from, to] = [bars[0]?.from ?? 0, bars[bars.length - 1]?.to ?? 1];
  const x = scaleLinear([from, to], [0, WIDTH]);
  const y = scaleLinear([0, most || 1], [0, HEIGHT]).clamp(true);
  return (
    <figure
      aria-label={label}
      className="num absolute bottom-3 right-3 m-0 rounded-lg border border-line bg-panel px-3 py-2"
    >
      <svg width={WIDTH} height={HEIGHT + 34} className="block overflow-visible" role="img" aria-label={told}>
        {bars.map((b) => (
          <rect
            key={b.from}
            x={x(b.from)}
            y={HEIGHT - y(b.count)}
            width={WIDTH / bars.length - 0.5}
            height={y(b.count)}
            fill={tint((b.from + b.to) / 2)}
            stroke="var(--muted)"
            strokeWidth={0.4}
          />
        ))}
        {limits.map((t) => (
          <line key={t} x1={x(t)} x2={x(t)} y1={0} y2={HEIGHT + 4} stroke="var(--ink)" strokeDasharray="3 2" />
        ))}
        <line x1={0} x2={WIDTH} y1={HEIGHT} y2={HEIGHT} stroke="var(--ink)" />
        {ticks.map(([t, words]) => (
          <text
            key={t}
            x={x(t)}
            y={HEIGHT + 15}
            textAnchor={t === from ? 'start' : t === to ? 'end' : 'middle'}
            fontSize={11}
            fill="var(--ink)"
          >
            {words}
          </text>
        ))}
        <text x={0} y={HEIGHT + 31} fontSize={11} fill="var(--muted)">
          {low}
        </text>
        <text x={WIDTH} y={HEIGHT + 31} textAnchor="end" fontSize={11} fill="var(--muted)">
          {high}
        </text>
      </svg>
      <figcaption className="mt-1 text-muted">{note}</figcaption>
    </figure>
  );
}
