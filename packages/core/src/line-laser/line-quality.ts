import type { ColorImage } from '../geometry/triangle-mesh.js';
import { laserLight } from './laser-light.js';
import { LINE_CENTRES_DEFAULTS, type LineCentres, type LineCentresOptions } from './line-centres.js';

/** What an operator sets focus, exposure and laser by. */
export interface LineQuality {
  /** Median width of the line at half its brightness, pixels; NaN without a line. Least where the lens is sharp. */
  width: number;
  /** Median brightness of the line's middle, less other light, 0–255. */
  brightness: number;
  /** Share of its places that are over-exposed. */
  burnt: number;
  /** Share of the picture's rows that show it. */
  found: number;
}

/**
 * Measures how sharp and bright a found line is. O(places · width).
 * @param light the picture's laser light, where it is known already
 */
export function measureLine(
  image: ColorImage,
  centres: LineCentres,
  options: Partial<LineCentresOptions> = {},
  light?: Float32Array,
): LineQuality {
  const o = { ...LINE_CENTRES_DEFAULTS, ...options };
  const { width, height } = image;
  const l = light ?? laserLight(image, o, new Float32Array(width * height));
  const widths: number[] = [];
  const peaks: number[] = [];
  for (let i = 0; i < centres.rows.length; i++) {
    const row = centres.rows[i] * width;
    const middle = Math.round(centres.columns[i]);
    const peak = Math.max(l[row + middle - 1], l[row + middle], l[row + middle + 1]);
    const edge = (step: number): number => {
      let u = middle;
      while (u + step >= 0 && u + step < width && l[row + u + step] >= 0.5 * peak) u += step;
      const inner = l[row + u];
      const outer = l[row + u + step] ?? 0;
      return Math.abs(u - middle) + (inner - 0.5 * peak) / Math.max(1e-6, inner - outer);
    };
    widths.push(edge(-1) + edge(1));
    peaks.push(peak);
  }
  const median = (a: number[]): number => a.sort((x, y) => x - y)[a.length >> 1] ?? NaN;
  return { width: median(widths), brightness: median(peaks) || 0, burnt: centres.burnt, found: centres.found };
}
