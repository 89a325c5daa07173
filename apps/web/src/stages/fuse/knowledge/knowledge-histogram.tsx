import { max, scaleLinear } from 'd3';
import { qualityTint } from './knowledge-colors';
import type { Knowledge } from './knowledge.worker';
import { qualityOf } from './qualities';

const [WIDTH, HEIGHT] = [280, 56];

/** How much of the surface has which value, in the colours that the view shows, with the limit. */
export function KnowledgeHistogram({ found, share }: { found: Knowledge; share: number }) {
  const quality = qualityOf(found.quality);
  const { bars, to } = found.spread;
  const x = scaleLinear([0, to], [0, WIDTH]);
  const y = scaleLinear([0, max(bars) || 1], [0, HEIGHT]);
  const limit = Math.min(WIDTH, x(found.limit));
  const width = WIDTH / bars.length;
  return (
    <svg
      viewBox={`0 0 ${WIDTH} ${HEIGHT + 18}`}
      className="num block w-full"
      role="img"
      aria-label={`Histogram of ${quality.title.toLowerCase()}: ${(100 * share).toFixed(1)} % of the measured surface is ${quality.beyond(quality.text(found.limit))}`}
    >
      {bars.map((area, k) => (
        <rect
          key={k}
          x={k * width}
          y={HEIGHT - y(area)}
          width={width - 0.5}
          height={y(area)}
          fill={qualityTint(quality, ((k + 0.5) * to) / bars.length, found.limit, to)}
          stroke="var(--muted)"
          strokeWidth={0.4}
        />
      ))}
      <line x1={limit} x2={limit} y1={0} y2={HEIGHT + 4} stroke="var(--ink)" strokeDasharray="3 2" />
      <line x1={0} x2={WIDTH} y1={HEIGHT} y2={HEIGHT} stroke="var(--ink)" />
      <text x={0} y={HEIGHT + 14} fontSize={11} fill="var(--ink)">
        0
      </text>
      <text x={WIDTH} y={HEIGHT + 14} textAnchor="end" fontSize={11} fill="var(--ink)">
        {quality.text(Number(to.toPrecision(2)))}
      </text>
    </svg>
  );
}
