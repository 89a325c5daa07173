import type { Material } from './material.js';

/** Distance to a shape (negative inside) in millimetres, and its colour (sRGB, 0–255). */
export interface DemoObject {
  id: string;
  name: string;
  distance(x: number, y: number, z: number): number;
  color(x: number, y: number, z: number): [number, number, number];
  min: [number, number, number];
  max: [number, number, number];
  /** What it is made of, at a place. */
  material: (x: number, y: number, z: number) => Material;
}

/** Hermite step from 0 at a to 1 at b. */
export const smoothStep = (a: number, b: number, x: number): number => {
  const t = Math.max(0, Math.min(1, (x - a) / (b - a)));
  return t * t * (3 - 2 * t);
};

/** Polynomial smooth minimum of width k. */
export const smoothMin = (a: number, b: number, k: number): number => {
  const h = Math.max(0, k - Math.abs(a - b)) / k;
  return Math.min(a, b) - h * h * k * 0.25;
};

/** Repeatable value noise in 0–1 on an integer lattice, smoothly interpolated. */
export function noise(x: number, y: number, z: number): number {
  const xi = Math.floor(x);
  const yi = Math.floor(y);
  const zi = Math.floor(z);
  const fx = smoothStep(0, 1, x - xi);
  const fy = smoothStep(0, 1, y - yi);
  const fz = smoothStep(0, 1, z - zi);
  const at = (a: number, b: number, c: number): number => {
    let h = Math.imul(a, 0x8da6b343) ^ Math.imul(b, 0xd8163841) ^ Math.imul(c, 0xcb1ab31f);
    h = Math.imul(h ^ (h >>> 13), 0x5bd1e995);
    return ((h ^ (h >>> 15)) >>> 0) / 4294967296;
  };
  const mix = (a: number, b: number, t: number): number => a + (b - a) * t;
  return mix(
    mix(mix(at(xi, yi, zi), at(xi + 1, yi, zi), fx), mix(at(xi, yi + 1, zi), at(xi + 1, yi + 1, zi), fx), fy),
    mix(
      mix(at(xi, yi, zi + 1), at(xi + 1, yi, zi + 1), fx),
      mix(at(xi, yi + 1, zi + 1), at(xi + 1, yi + 1, zi + 1), fx),
      fy,
    ),
    fz,
  );
}
