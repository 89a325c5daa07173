import { max, scaleLinear } from 'd3';
import { deviationTint, SCALE_TOLERANCES, type Bar } from './deviation-scale';

const [WIDTH, HEIGHT] = [250, 64];

/** What the colours of deviations mean, with how much of the measured surface has which. */
export function DeviationLegend({
  bars,
  tolerance,
  within,
}: {
  bars: readonly Bar[];
  tolerance: number;
  within: number;
}) {
  const end = SCALE_TOLERANCES * tolerance;
  const x = scaleLinear([-end, end], [0, WIDTH]);
  const y = scaleLinear([0, max(bars, (b) => b.count) || 1], [0, HEIGHT]);
  const ticks = [-end, -tolerance, 0, tolerance, end];
  return (
    <figure
      aria-label="Deviation from the reference"
      className="num absolute bottom-3 right-3 m-0 rounded-lg border border-line bg-panel px-3 py-2"
    >
      <svg
        width={WIDTH}
        height={HEIGHT + 34}
        className="block overflow-visible"
        role="img"
        aria-label={`Histogram: ${(100 * within).toFixed(1)} % within ${tolerance} mm`}
      >
        {bars.map((b) => (
          <rect
            key={b.from}
            x={x(b.from)}
            y={HEIGHT - y(b.count)}
            width={WIDTH / bars.length - 0.5}
            height={y(b.count)}
            fill={deviationTint((b.from + b.to) / 2, tolerance)}
            stroke="var(--muted)"
            strokeWidth={0.4}
          />
        ))}
        {[-tolerance, tolerance].map((t) => (
          <line key={t} x1={x(t)} x2={x(t)} y1={0} y2={HEIGHT + 4} stroke="var(--ink)" strokeDasharray="3 2" />
        ))}
        <line x1={0} x2={WIDTH} y1={HEIGHT} y2={HEIGHT} stroke="var(--ink)" />
        {ticks.map((t) => (
          <text
            key={t}
            x={x(t)}
            y={HEIGHT + 15}
            textAnchor={t === -end ? 'start' : t === end ? 'end' : 'middle'}
            fontSize={11}
            fill="var(--ink)"
          >
            {t > 0 ? '+' : ''}
            {Number(t.toPrecision(2))}
          </text>
        ))}
        <text x={0} y={HEIGHT + 31} fontSize={11} fill="var(--muted)">
          inwards
        </text>
        <text x={WIDTH} y={HEIGHT + 31} textAnchor="end" fontSize={11} fill="var(--muted)">
          outwards, mm
        </text>
      </svg>
      <figcaption className="mt-1 text-muted">Grey: invented, or nothing near</figcaption>
    </figure>
  );
}
