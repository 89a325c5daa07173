import { interpolateRgbBasis } from 'd3';
import { linearBytes } from '../../../view/view-content';

/** From just within to deepest: light to dark, so that it is told without colour, too. */
const DEEP = interpolateRgbBasis(['#f3c9b4', '#d8724a', '#a1301c', '#54120c']);
export const CLEAR_TINT = '#c9bda6';
const STEPS = 64;

export const clashTint = (share: number): string => DEEP(Math.max(0, Math.min(1, share)));

/** Linear bytes per vertex: stone where nothing clashes, else by depth. O(n) */
export function clashColors(depths: Float32Array): Uint8Array {
  let most = 0;
  for (const d of depths) if (d > most) most = d;
  const clear = linearBytes(CLEAR_TINT);
  const tints = Array.from({ length: STEPS + 1 }, (_, k) => linearBytes(clashTint(k / STEPS)));
  const out = new Uint8Array(3 * depths.length);
  for (let v = 0; v < depths.length; v++)
    out.set(depths[v] > 0 ? tints[Math.round((STEPS * depths[v]) / most)] : clear, 3 * v);
  return out;
}
