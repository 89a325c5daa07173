import { HistogramLegend, type Bar } from '../histogram-legend';
import { deviationTint, SCALE_TOLERANCES } from './deviation-scale';

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
  const signed = (t: number): readonly [number, string] => [t, `${t > 0 ? '+' : ''}${Number(t.toPrecision(2))}`];
  return (
    <HistogramLegend
      label="Deviation from the reference"
      told={`Histogram: ${(100 * within).toFixed(1)} % within ${tolerance} mm`}
      bars={bars}
      most={Math.max(0, ...bars.map((b) => b.count))}
      tint={(d) => deviationTint(d, tolerance)}
      limits={[-tolerance, tolerance]}
      ticks={[-end, -tolerance, 0, tolerance, end].map(signed)}
      low="inwards"
      high="outwards, mm"
      note="Grey: invented, or nothing near"
    />
  );
}
