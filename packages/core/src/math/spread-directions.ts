import type { Vec3 } from './mat4.js';

/** Evenly spread unit vectors (spiral points; E. Saff, A. Kuijlaars 1997). */
export function spreadDirections(n: number): Vec3[] {
  return Array.from({ length: n }, (_, i): Vec3 => {
    const z = 1 - (2 * i + 1) / n;
    const a = i * Math.PI * (3 - Math.sqrt(5));
    const r = Math.sqrt(1 - z * z);
    return [r * Math.cos(a), r * Math.sin(a), z];
  });
}
