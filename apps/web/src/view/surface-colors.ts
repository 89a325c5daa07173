import { interpolateCividis, rgb } from 'd3';
import { srgbToLinear } from './view-content';

/** Colours of measured and of invented surface. */
export const SURFACE_TINTS = { measured: '#b7cfcf', invented: '#e59b62' };

/** By how many scans a place was measured: none, one … five and more. Their lightness alone tells them apart. */
export const COUNT_TINTS = ['#8c8478', ...[0.05, 0.3, 0.5, 0.7, 0.92].map((t) => interpolateCividis(t))];

const bytesOf = (css: string): Uint8Array => {
  const { r, g, b } = rgb(css);
  return srgbToLinear(Uint8Array.of(r, g, b));
};

/** Linear bytes per vertex that tell measured from invented. */
export function inventedColors(flags: ArrayLike<number>): Uint8Array {
  return painted(flags, [bytesOf(SURFACE_TINTS.measured), bytesOf(SURFACE_TINTS.invented)], (v) => (v > 0 ? 1 : 0));
}

/** Linear bytes per vertex that tell by how many scans it was measured. */
export function scanCountColors(counts: ArrayLike<number>): Uint8Array {
  return painted(counts, COUNT_TINTS.map(bytesOf), (n) => Math.min(n, COUNT_TINTS.length - 1));
}

const STEPS = 64;

/** Linear bytes per vertex on a scale of expected errors, even in their logarithm; what knows none is grey. */
export function errorColors(errors: ArrayLike<number>, [low, high]: readonly [number, number]): Uint8Array {
  const scale = Array.from({ length: STEPS }, (_, k) => bytesOf(interpolateCividis(k / (STEPS - 1))));
  const span = Math.log(high / low) || 1;
  return painted(errors, [...scale, bytesOf(COUNT_TINTS[0])], (e) =>
    e >= 0
      ? Math.max(0, Math.min(STEPS - 1, Math.round(((STEPS - 1) * Math.log(Math.max(e, low) / low)) / span)))
      : STEPS,
  );
}

/** The middle nine tenths of all known errors; undefined if none is known. */
export function errorRange(errors: Float32Array): readonly [number, number] | undefined {
  const known = errors.filter((e) => e > 0).sort();
  if (known.length === 0) return undefined;
  const at = (share: number): number => known[Math.floor(share * (known.length - 1))];
  return [at(0.05), at(0.95)];
}

function painted(values: ArrayLike<number>, tints: Uint8Array[], tintOf: (value: number) => number): Uint8Array {
  const out = new Uint8Array(3 * values.length);
  for (let i = 0; i < values.length; i++) out.set(tints[tintOf(values[i])], 3 * i);
  return out;
}
