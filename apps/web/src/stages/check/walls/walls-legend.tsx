import type { WallMap } from '@amber-knit/core/measure';
import { HistogramLegend } from '../histogram-legend';
import { SCALE_WALLS, wallBars, wallTint } from './walls-scale';

/** What the colours of walls mean, with how much of the surface has which. */
export function WallsLegend({ map, least }: { map: WallMap; least: number }) {
  const end = SCALE_WALLS * least;
  const bars = wallBars(map.thickness, least);
  const figure = (t: number): string => String(Number(t.toPrecision(3)));
  return (
    <HistogramLegend
      label="Thickness of the walls"
      told={`Histogram: ${(100 * map.thinRatio).toFixed(1)} % of the surface thinner than ${least} mm`}
      bars={bars}
      // The last bar holds all that is thicker: it must not press down the others.
      most={Math.max(0, ...bars.slice(0, -1).map((b) => b.count))}
      tint={(t) => wallTint(t, least)}
      limits={[least]}
      ticks={[
        [0, '0'],
        [least, figure(least)],
        [2 * least, figure(2 * least)],
        [end, `${figure(end)} and more`],
      ]}
      low="too thin"
      high="wall, mm"
      note={`Grey: no other side within ${figure(8 * least)} mm`}
    />
  );
}
