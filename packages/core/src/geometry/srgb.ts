/** Light (0–1) of an sRGB value (0–255, need not be whole). Source: IEC 61966-2-1 (sRGB). */
export function lightOfSrgb(value: number): number {
  const v = value / 255;
  return v <= 0.04045 ? v / 12.92 : ((v + 0.055) / 1.055) ** 2.4;
}

/** The same for each 8-bit value. */
export const LIGHT_OF_SRGB: Float64Array = Float64Array.from({ length: 256 }, (_, i) => lightOfSrgb(i));

const STEPS = 4096;
/** sRGB values of even steps of the square root of light, where they lie evenly enough to be read between. */
const SRGB_OF_ROOT = Float32Array.from({ length: STEPS + 2 }, (_, i) => {
  const light = (i / STEPS) ** 2;
  return 255 * (light <= 0.0031308 ? 12.92 * light : 1.055 * light ** (1 / 2.4) - 0.055);
});

/** sRGB value (0–255, not rounded) of light from 0 to 1; what lies outside is cut off. Right to 0.02. */
export function srgbOfLight(light: number): number {
  if (!(light > 0)) return 0;
  if (light >= 1) return 255;
  const at = Math.sqrt(light) * STEPS;
  const k = at | 0;
  return SRGB_OF_ROOT[k] + (at - k) * (SRGB_OF_ROOT[k + 1] - SRGB_OF_ROOT[k]);
}
