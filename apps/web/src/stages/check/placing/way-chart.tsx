import { area, extent, line, scaleLinear } from 'd3';
import type { FoundWay } from '@amber-knit/core/placing';
import { lengthText } from '@amber-knit/operations/quantity-text';

const [WIDTH, HEIGHT] = [230, 56];

/** Clearance on the way from one placing to the next; what clashes lies below the line. */
export function WayChart({ way, from, to }: { way: FoundWay; from: string; to: string }) {
  const { profile, at } = way;
  const tightest = Math.min(...profile, way.found.clash ? -way.found.clash.depth : way.found.clearance.distance);
  const [low, high] = extent([...profile, 0, tightest]) as [number, number];
  const x = scaleLinear([0, profile.length - 1], [0, WIDTH]);
  const y = scaleLinear([low, high || 1], [HEIGHT - 4, 4]);
  const words =
    tightest < 0
      ? `clashes, ${lengthText(-tightest)} deep`
      : `tightest ${lengthText(tightest)}${way.within > 0.05 ? `, at least ${lengthText(Math.max(0, tightest - way.within))}` : ''}`;
  return (
    <figure className="m-0 py-1" aria-label={`Way from ${from} to ${to}: ${words}`}>
      <svg width={WIDTH} height={HEIGHT} className="block" role="img" aria-hidden>
        <path
          d={
            area<number>(
              (_, i) => x(i),
              (v) => y(Math.min(0, v)),
              y(0),
            )(profile) ?? undefined
          }
          fill="var(--brick)"
          fillOpacity={0.35}
        />
        <line x1={0} x2={WIDTH} y1={y(0)} y2={y(0)} stroke="var(--muted)" strokeDasharray="3 3" />
        <path
          d={
            line<number>(
              (_, i) => x(i),
              (v) => y(v),
            )(profile) ?? undefined
          }
          fill="none"
          stroke="var(--teal)"
          strokeWidth={1.5}
        />
        <circle cx={at * WIDTH} cy={y(tightest)} r={3.5} fill={tightest < 0 ? 'var(--brick)' : 'var(--teal)'} />
      </svg>
      <figcaption className="num text-muted">{words}</figcaption>
    </figure>
  );
}
