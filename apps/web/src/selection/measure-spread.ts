import type { BitSet } from '@amber-knit/core/geometry';
import type { Measure, MeasureSpread } from './selection-messages';

const BARS = 60;

/**
 * Bars over what nearly all values span; the few beyond count in the last bars.
 * @param end of the last bar, where it is to be that of another spread
 */
export function spreadOf(measure: Measure, values: Float32Array[], present: BitSet[], end?: number): MeasureSpread {
  const known = Float32Array.from(values.flatMap((v) => [...sampleOf(v)])).sort();
  const at = (share: number): number => known[Math.min(known.length - 1, Math.floor(share * known.length))] ?? 0;
  const most = known[known.length - 1] ?? 0;
  const tops = {
    piece: 100,
    angle: 90,
    density: Math.min(most, 2),
    distance: most,
    residual: 2 * at(0.95),
    spacing: 2 * at(0.95),
    noise: 2 * at(0.95),
    brightness: 100,
  };
  const top = end ?? tops[measure];
  const counts = new Array<number>(BARS).fill(0);
  let unknown = 0;
  values.forEach((v, k) => {
    for (let i = 0; i < v.length; i++) {
      if (Number.isNaN(v[i])) unknown += present[k].has(i) ? 1 : 0;
      else counts[Math.min(BARS - 1, Math.floor((v[i] / (top || 1)) * BARS))]++;
    }
  });
  const edges = Array.from({ length: BARS + 1 }, (_, i) => (i / BARS) * top);
  return { measure, edges, counts, unknown, median: at(0.5), high: at(0.95), worst: [], inSection: false };
}

/** Evenly taken known values, at most about fifty thousand: points are stored so that every step is an even sample. */
function sampleOf(values: Float32Array): Float32Array {
  const step = Math.max(1, Math.floor(values.length / 50_000));
  return Float32Array.from({ length: Math.floor(values.length / step) }, (_, i) => values[i * step]).filter(
    (v) => !Number.isNaN(v),
  );
}
