/**
 * Lightness and the two opponent values of sRGB colours (8 bit, 3 for each), CIELAB under D65, 3 for each. O(n).
 * Sources: IEC 61966-2-1 (sRGB); CIE 15:2004 and ISO/CIE 11664-4 (CIELAB).
 */
export function cieLab(srgb: ArrayLike<number>): Float32Array {
  const out = new Float32Array(srgb.length);
  for (let i = 0; i < srgb.length; i += 3) {
    const r = linear(srgb[i]);
    const g = linear(srgb[i + 1]);
    const b = linear(srgb[i + 2]);
    const x = compressed((0.4124 * r + 0.3576 * g + 0.1805 * b) / 0.95047);
    const y = compressed(0.2126 * r + 0.7152 * g + 0.0722 * b);
    const z = compressed((0.0193 * r + 0.1192 * g + 0.9505 * b) / 1.08883);
    out[i] = 116 * y - 16;
    out[i + 1] = 500 * (x - y);
    out[i + 2] = 200 * (y - z);
  }
  return out;
}

/** Colour difference of 1976: the distance in CIELAB. */
export function deltaE76(a: ArrayLike<number>, b: ArrayLike<number>): number {
  const p = cieLab(a);
  const q = cieLab(b);
  return Math.hypot(p[0] - q[0], p[1] - q[1], p[2] - q[2]);
}

function linear(value: number): number {
  const v = value / 255;
  return v <= 0.04045 ? v / 12.92 : ((v + 0.055) / 1.055) ** 2.4;
}

function compressed(t: number): number {
  return t > 216 / 24389 ? Math.cbrt(t) : (24389 / 27 / 116) * t + 16 / 116;
}
