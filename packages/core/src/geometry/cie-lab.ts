import { lightOfSrgb } from './srgb.js';

/**
 * Lightness and the two opponent values of sRGB colours (0–255, 3 for each), CIELAB under D65, 3 for each. O(n).
 * Sources: IEC 61966-2-1 (sRGB); CIE 15:2004 and ISO/CIE 11664-4 (CIELAB).
 */
export function cieLab(srgb: ArrayLike<number>): Float32Array {
  const out = new Float32Array(srgb.length);
  for (let i = 0; i < srgb.length; i += 3) {
    labOfLight(lightOfSrgb(srgb[i]), lightOfSrgb(srgb[i + 1]), lightOfSrgb(srgb[i + 2]), out, i);
  }
  return out;
}

/** CIELAB under D65 of linear sRGB light (0–1), written to `out` from `at` on. */
export function labOfLight(r: number, g: number, b: number, out: Float32Array | Float64Array, at = 0): void {
  const x = compressed((0.4124 * r + 0.3576 * g + 0.1805 * b) / 0.95047);
  const y = compressed(0.2126 * r + 0.7152 * g + 0.0722 * b);
  const z = compressed((0.0193 * r + 0.1192 * g + 0.9505 * b) / 1.08883);
  out[at] = 116 * y - 16;
  out[at + 1] = 500 * (x - y);
  out[at + 2] = 200 * (y - z);
}

/** Colour difference of 1976: the distance in CIELAB. */
export function deltaE76(a: ArrayLike<number>, b: ArrayLike<number>): number {
  const p = cieLab(a);
  const q = cieLab(b);
  return Math.hypot(p[0] - q[0], p[1] - q[1], p[2] - q[2]);
}

/**
 * Colour difference CIEDE2000 of two colours in CIELAB, all weights 1.
 * Source: G. Sharma, W. Wu, E. Dalal (2005), The CIEDE2000 color-difference formula: implementation notes, supplementary
 * test data, and mathematical observations.
 */
export function deltaE2000(p: ArrayLike<number>, q: ArrayLike<number>): number {
  const chroma = (Math.hypot(p[1], p[2]) + Math.hypot(q[1], q[2])) / 2;
  const g = 1.5 - 0.5 * Math.sqrt(chroma ** 7 / (chroma ** 7 + 25 ** 7));
  const c1 = Math.hypot(g * p[1], p[2]);
  const c2 = Math.hypot(g * q[1], q[2]);
  const h1 = hue(g * p[1], p[2]);
  const h2 = hue(g * q[1], q[2]);
  const grey = c1 * c2 === 0;
  const apart = Math.abs(h1 - h2) > 180;
  let turn = grey ? 0 : h2 - h1;
  if (turn > 180) turn -= 360;
  else if (turn < -180) turn += 360;
  const dL = q[0] - p[0];
  const dC = c2 - c1;
  const dH = 2 * Math.sqrt(c1 * c2) * Math.sin(radians(turn / 2));
  const L = (p[0] + q[0]) / 2;
  const C = (c1 + c2) / 2;
  let h = h1 + h2;
  if (!grey) h = (h + (apart ? (h < 360 ? 360 : -360) : 0)) / 2;
  const T =
    1 -
    0.17 * Math.cos(radians(h - 30)) +
    0.24 * Math.cos(radians(2 * h)) +
    0.32 * Math.cos(radians(3 * h + 6)) -
    0.2 * Math.cos(radians(4 * h - 63));
  const lightness = dL / (1 + (0.015 * (L - 50) ** 2) / Math.sqrt(20 + (L - 50) ** 2));
  const saturation = dC / (1 + 0.045 * C);
  const tone = dH / (1 + 0.015 * C * T);
  const rotation =
    -2 * Math.sqrt(C ** 7 / (C ** 7 + 25 ** 7)) * Math.sin(radians(60 * Math.exp(-(((h - 275) / 25) ** 2))));
  return Math.sqrt(lightness ** 2 + saturation ** 2 + tone ** 2 + rotation * saturation * tone);
}

const radians = (degrees: number): number => (degrees * Math.PI) / 180;

function hue(a: number, b: number): number {
  if (a === 0 && b === 0) return 0;
  const h = (Math.atan2(b, a) * 180) / Math.PI;
  return h < 0 ? h + 360 : h;
}

function compressed(t: number): number {
  return t > 216 / 24389 ? Math.cbrt(t) : (24389 / 27 / 116) * t + 16 / 116;
}

/** Linear sRGB light (may lie beyond 0–1) of a colour in CIELAB under D65, written to `out` from `at` on. */
export function lightOfLab(l: number, a: number, b: number, out: Float32Array | Float64Array, at = 0): void {
  const fy = (l + 16) / 116;
  const x = 0.95047 * expanded(fy + a / 500);
  const y = expanded(fy);
  const z = 1.08883 * expanded(fy - b / 200);
  // Inverse of the matrix above.
  out[at] = 3.2406254773 * x - 1.5372079722 * y - 0.4986285987 * z;
  out[at + 1] = -0.9689307147 * x + 1.8757560609 * y + 0.0415175238 * z;
  out[at + 2] = 0.0557101204 * x - 0.2040210506 * y + 1.0569959423 * z;
}

const expanded = (f: number): number => (f > 6 / 29 ? f ** 3 : 3 * (6 / 29) ** 2 * (f - 4 / 29));
