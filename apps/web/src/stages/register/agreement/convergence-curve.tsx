import { axisBottom, axisLeft, line, scaleLinear, scaleLog, select } from 'd3';
import { useEffect, useRef } from 'react';
import { lengthText } from '@amber-knit/operations/quantity-text';

const WIDTH = 290;
const HEIGHT = 86;
const LEFT = 44;
const BOTTOM = 20;
/** Less than this is drawn as this, mm. */
const FLOOR = 1e-4;

/** How far any scan still moved in each iteration of the fit. */
export function ConvergenceCurve({ moved }: { moved: readonly number[] }) {
  const bottom = useRef<SVGGElement>(null);
  const left = useRef<SVGGElement>(null);
  const x = scaleLinear([1, Math.max(2, moved.length)], [LEFT, WIDTH - 6]);
  const y = scaleLog([FLOOR, Math.max(0.01, ...moved)], [HEIGHT - BOTTOM, 6]).clamp(true);
  useEffect(() => {
    const style = (axis: SVGGElement): void => {
      const g = select(axis);
      g.select('.domain').attr('stroke', 'var(--line)');
      g.selectAll('text').attr('fill', 'var(--muted)').style('font', '10px "IBM Plex Mono", monospace');
      g.selectAll('line').attr('stroke', 'var(--muted)');
    };
    select(bottom.current!).call(axisBottom(x).ticks(5).tickSize(3).tickFormat(String));
    select(left.current!).call(
      axisLeft(y)
        .tickValues([0.0001, 0.001, 0.01, 0.1, 1, 10].filter((v) => v <= y.domain()[1]))
        .tickSize(3)
        .tickFormat(String),
    );
    style(bottom.current!);
    style(left.current!);
  });
  const path = line<number>(
    (_, i) => x(i + 1),
    (v) => y(Math.max(FLOOR, v)),
  )([...moved]);
  return (
    <figure className="m-0">
      <svg
        viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
        role="img"
        aria-label={`Movement in ${moved.length} iterations, the last ${lengthText(moved[moved.length - 1])}`}
      >
        <path d={path ?? ''} fill="none" stroke="var(--amber)" strokeWidth={1.8} />
        <g ref={bottom} transform={`translate(0 ${HEIGHT - BOTTOM})`} />
        <g ref={left} transform={`translate(${LEFT} 0)`} />
      </svg>
      <figcaption className="text-muted">
        Largest movement of a scan in each iteration, mm. The last was{' '}
        <span className="num">{lengthText(moved[moved.length - 1])}</span>.
      </figcaption>
    </figure>
  );
}
