import type { VertexKnowledge } from '@amber-knit/core/geometry';
import { interpolateCividis } from 'd3';
import { linearBytes } from '../../../view/view-content';
import { isBeyond, type Quality } from './qualities';

/** What lies beyond the limit is orange; what is not known, grey. The rest runs from dark to light, the better the lighter. */
export const BEYOND_TINT = '#e2711d';
export const UNKNOWN_TINT = '#8c8478';
const STEPS = 64;

/** Colour of a value as CSS. */
export function qualityTint(quality: Quality, value: number, limit: number, end: number): string {
  if (!(value >= 0)) return UNKNOWN_TINT;
  if (isBeyond(quality, value, limit)) return BEYOND_TINT;
  const share = Math.max(0, Math.min(1, value / end));
  return interpolateCividis(quality.worse === 'above' ? 1 - share : share);
}

/** Linear bytes per vertex; undefined if the surface does not know it. */
export function qualityColors(
  quality: Quality,
  known: VertexKnowledge,
  vertices: number,
  limit: number,
  end: number,
): Uint8Array | undefined {
  const of = quality.of(known);
  if (!of) return undefined;
  const [beyond, unknown] = [linearBytes(BEYOND_TINT), linearBytes(UNKNOWN_TINT)];
  const tints = Array.from({ length: STEPS + 1 }, (_, k) =>
    linearBytes(interpolateCividis(quality.worse === 'above' ? 1 - k / STEPS : k / STEPS)),
  );
  const out = new Uint8Array(3 * vertices);
  for (let v = 0; v < vertices; v++) {
    const x = known.invented?.[v] ? NaN : of(v);
    const step = Math.max(0, Math.min(STEPS, Math.round((x / end) * STEPS)));
    out.set(!(x >= 0) ? unknown : isBeyond(quality, x, limit) ? beyond : tints[step], 3 * v);
  }
  return out;
}
