import { area, line, scaleLinear } from 'd3';
import type { ScanView } from '@amber-knit/contracts';

const [WIDTH, HEIGHT] = [66, 14];

/** How the surface that a scan sees grew along its frames: a curve that soon lies flat saw little new. */
export function CoverageSparkline({ scan, large = false }: { scan: ScanView; large?: boolean }) {
  const { coverage } = scan;
  if (coverage.length < 2) return null;
  const x = scaleLinear([0, coverage.length], [1, WIDTH - 1]);
  const y = scaleLinear([0, 100], [HEIGHT - 1, 1]);
  const points: [number, number][] = [0, ...coverage].map((v, i) => [x(i), y(v)]);
  return (
    <svg
      viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
      width={large ? 2 * WIDTH : WIDTH}
      height={large ? 2 * HEIGHT : HEIGHT}
      role="img"
      aria-label={coverageWords(scan)}
      className="shrink-0 text-teal"
    >
      <title>{coverageWords(scan)}</title>
      <path
        d={area<[number, number]>(
          (p) => p[0],
          HEIGHT - 1,
          (p) => p[1],
        )(points)!}
        fill="currentColor"
        opacity={0.18}
      />
      <path d={line()(points)!} fill="none" stroke="currentColor" strokeWidth={large ? 0.8 : 1.4} />
    </svg>
  );
}

/** Coverage in words: after how many of the frames most of the surface had been seen. */
export function coverageWords({ coverage, frames, droppedFrames }: ScanView): string {
  const all = frames + droppedFrames.length;
  const at = coverage.findIndex((v) => v >= 90) + 1;
  return `Surface seen along the frames: 90 % of it after ${Math.ceil((all * at) / coverage.length)} of ${all}`;
}
