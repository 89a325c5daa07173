/** Share of the points at either end that may lie outside the grey scale. */
const TAIL = 0.01;
const SAMPLES = 20_000;

export const BRIGHTNESS_NOTE = 'The file has no colours; the returned brightness is shown as grey.';

/** Returned brightness as grey, 3n, black to white between the 1st and the 99th percentile. O(n). */
export function greyOf(brightness: Float32Array): Uint8Array {
  const n = brightness.length;
  const step = Math.max(1, Math.floor(n / SAMPLES));
  const some = Float32Array.from({ length: Math.ceil(n / step) }, (_, i) => brightness[i * step] || 0).sort();
  const low = some[Math.floor(TAIL * (some.length - 1))];
  const high = some[Math.ceil((1 - TAIL) * (some.length - 1))];
  const scale = high > low ? 255 / (high - low) : 0;
  const out = new Uint8Array(3 * n);
  for (let i = 0; i < n; i++) {
    const v = scale > 0 ? Math.max(0, Math.min(255, Math.round(scale * (brightness[i] - low)))) : 128;
    out.fill(v, 3 * i, 3 * i + 3);
  }
  return out;
}
