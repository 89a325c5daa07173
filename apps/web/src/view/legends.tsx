import { interpolateCividis } from 'd3';
import { COUNT_TINTS, SURFACE_TINTS } from './surface-colors';

/** What the two tints of the surface mean. */
export function InventedLegend() {
  return (
    <TintLegend
      tints={[
        [SURFACE_TINTS.measured, 'measured by a scan'],
        [SURFACE_TINTS.invented, 'invented by filling'],
      ]}
    />
  );
}

/** How many scans measured each place. */
export function ScanCountLegend() {
  return (
    <TintLegend
      tints={COUNT_TINTS.map((color, n) => [
        color,
        n === 0
          ? 'by none'
          : n === COUNT_TINTS.length - 1
            ? `by ${n} scans or more`
            : `by ${n} ${n === 1 ? 'scan' : 'scans'}`,
      ])}
    />
  );
}

/** What the colours of expected errors mean, one standard deviation. */
export function ErrorLegend({ range }: { range: readonly [number, number] | undefined }) {
  if (!range)
    return (
      <p
        aria-label="Legend"
        className="absolute bottom-3 right-3 m-0 rounded-lg border border-line bg-panel px-3 py-1.5"
      >
        This surface does not know its errors. Fuse anew to learn them.
      </p>
    );
  const stops = [0, 0.25, 0.5, 0.75, 1].map((t) => interpolateCividis(t)).join(', ');
  return (
    <div
      aria-label="Legend"
      className="num absolute bottom-3 right-3 flex items-center gap-2 rounded-lg border border-line bg-panel px-3 py-1.5"
    >
      ± {range[0].toPrecision(2)}
      <span className="h-3 w-28 rounded-sm" style={{ background: `linear-gradient(to right, ${stops})` }} />
      {range[1].toPrecision(2)} mm expected, grey: nothing measured
    </div>
  );
}

function TintLegend({ tints }: { tints: [string, string][] }) {
  return (
    <dl
      className="absolute bottom-3 right-3 m-0 rounded-lg border border-line bg-panel px-3 py-1.5"
      aria-label="Legend"
    >
      {tints.map(([color, meaning]) => (
        <div key={meaning} className="flex items-center gap-2">
          <dt className="h-3 w-3 rounded-sm" style={{ background: color }} />
          <dd className="m-0">{meaning}</dd>
        </div>
      ))}
    </dl>
  );
}

/** Which heights the two ends of the colour scale stand for. */
export function HeightLegend({ extent: [from, to] }: { extent: readonly [number, number] }) {
  const stops = [0, 0.25, 0.5, 0.75, 1].map((t) => interpolateCividis(t)).join(', ');
  return (
    <div
      aria-label="Legend"
      className="num absolute bottom-3 right-3 flex items-center gap-2 rounded-lg border border-line bg-panel px-3 py-1.5"
    >
      {Math.round(from) || 0}
      <span className="h-3 w-28 rounded-sm" style={{ background: `linear-gradient(to right, ${stops})` }} />
      {Math.round(to) || 0} mm high
    </div>
  );
}
