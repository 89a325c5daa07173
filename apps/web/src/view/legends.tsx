import { interpolateCividis } from 'd3';
import { SURFACE_TINTS } from './view-content';

/** What the two tints of the surface mean. */
export function InventedLegend() {
  const tints: [string, string][] = [
    [SURFACE_TINTS.measured, 'measured by a scan'],
    [SURFACE_TINTS.invented, 'invented by filling'],
  ];
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
