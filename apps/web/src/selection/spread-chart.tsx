import { axisBottom, interpolateCividis, max, scaleLinear, scaleSqrt, select } from 'd3';
import { useEffect, useRef } from 'react';
import type { MeasureSpread } from './selection-messages';

const WIDTH = 290;
const HEIGHT = 64;
const AXIS = 18;

/**
 * How a measure is spread: bars in the colours that the view shows, so that it is their legend as well. Few suspicious
 * points stand beside very many good ones: heights grow with the root of the count. What is chosen is underlined.
 */
export function SpreadChart({
  spread,
  unit,
  title,
  chosen,
}: {
  spread: MeasureSpread;
  unit: string;
  title: string;
  chosen?: { from: number; to: number };
}) {
  const axis = useRef<SVGGElement>(null);
  const { edges, counts } = spread;
  const top = edges[edges.length - 1] || 1;
  useEffect(() => {
    const ticks = axisBottom(scaleLinear([0, top], [0, WIDTH]))
      .ticks(4)
      .tickSize(4)
      .tickFormat((v) => `${String(v)}${v === 0 && unit ? ` ${unit}` : ''}`);
    const g = select(axis.current!).call(ticks);
    g.select('.domain').attr('stroke', 'var(--line)');
    g.selectAll('text').attr('fill', 'var(--muted)').style('font', '10px "IBM Plex Mono", monospace');
    g.selectAll('line').attr('stroke', 'var(--muted)');
    // The outer ticks would be cut off.
    g.selectAll('.tick:first-of-type text').attr('text-anchor', 'start');
    g.selectAll('.tick:last-of-type text').attr('text-anchor', 'end');
  }, [top, unit]);
  const x = scaleLinear([0, top], [0, WIDTH]);
  const y = scaleSqrt([0, max(counts) ?? 1], [0, HEIGHT - 4]);
  const bar = WIDTH / counts.length;
  return (
    <svg viewBox={`0 0 ${WIDTH} ${HEIGHT + AXIS}`} role="img" aria-label={title} className="overflow-visible">
      {counts.map((n, i) => {
        const middle = (edges[i] + edges[i + 1]) / 2;
        const within = chosen && middle >= chosen.from && middle <= chosen.to;
        return (
          <g key={edges[i]}>
            <rect
              x={i * bar + 0.5}
              width={bar - 1}
              y={HEIGHT - 4 - y(n)}
              height={y(n)}
              fill={interpolateCividis(middle / top)}
              stroke="var(--muted)"
              strokeWidth={0.3}
            />
            {within && <rect x={i * bar} width={bar} y={HEIGHT - 3} height={3} fill="var(--amber)" />}
          </g>
        );
      })}
      {chosen && (
        <line
          x1={x(Number.isFinite(chosen.from) ? chosen.from : chosen.to)}
          x2={x(Number.isFinite(chosen.from) ? chosen.from : chosen.to)}
          y1={0}
          y2={HEIGHT}
          stroke="var(--ink)"
          strokeDasharray="3 2"
        />
      )}
      <g ref={axis} transform={`translate(0 ${HEIGHT})`} />
    </svg>
  );
}
