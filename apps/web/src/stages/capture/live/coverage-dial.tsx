import * as d3 from 'd3';
import type { Coverage } from '@amber-knit/core/tracking';
import { coverageAdvice, coveredShare } from './coverage-advice';

const R = 64;

/** Sides seen so far: sectors round the object, rings from level (outside) to above (inside). */
export function CoverageDial({ coverage }: { coverage: Coverage | undefined }) {
  if (!coverage) {
    return <p className="m-0 text-muted">The dial fills while you scan: every cell is a side of the object.</p>;
  }
  const { sectors, bands, counts, sector, band } = coverage;
  const arc = d3.arc<{ s: number; b: number }>();
  const ring = (b: number): number => R - (b * (R - 12)) / bands;
  arc
    .innerRadius((d) => ring(d.b + 1) + 1)
    .outerRadius((d) => ring(d.b))
    // Counter-clockwise as seen from above, beginning at the bottom, where the operator stood first.
    .startAngle((d) => Math.PI - (2 * Math.PI * (d.s + 1)) / sectors)
    .endAngle((d) => Math.PI - (2 * Math.PI * d.s) / sectors)
    .padAngle(0.02);
  const cells = d3.cross(d3.range(sectors), d3.range(bands), (s, b) => ({ s, b }));
  return (
    <div className="flex items-center gap-3">
      <svg
        width={2 * R + 4}
        height={2 * R + 4}
        viewBox={`${-R - 2} ${-R - 2} ${2 * R + 4} ${2 * R + 4}`}
        role="img"
        aria-label={`Sides seen: ${Math.round(100 * coveredShare(coverage))} percent`}
        className="shrink-0"
      >
        {cells.map((c) => {
          const seen = counts[c.b * sectors + c.s];
          const here = c.s === sector && c.b === band;
          return (
            <path
              key={`${c.s}-${c.b}`}
              d={arc(c) ?? ''}
              fill={seen > 0 ? 'var(--amber)' : 'var(--sunk)'}
              fillOpacity={seen === 0 ? 1 : seen > 2 ? 0.95 : 0.55}
              stroke={here ? 'var(--ink)' : seen > 0 ? 'none' : 'var(--line)'}
              strokeWidth={here ? 2 : 1}
            />
          );
        })}
      </svg>
      <div>
        <div className="num text-lg font-semibold">{Math.round(100 * coveredShare(coverage))} %</div>
        <div className="text-muted">of the sides seen</div>
        <div className="mt-1">{coverageAdvice(coverage)}</div>
      </div>
    </div>
  );
}
