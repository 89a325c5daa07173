import { glossy } from './material.js';
import { noise, smoothMin, type DemoObject } from './shaping.js';

/** Distance to a box about a centre. */
const boxDistance = (x: number, y: number, z: number, a: number, b: number, c: number): number => {
  const dx = Math.abs(x) - a;
  const dy = Math.abs(y) - b;
  const dz = Math.abs(z) - c;
  return Math.hypot(Math.max(dx, 0), Math.max(dy, 0), Math.max(dz, 0)) + Math.min(0, Math.max(dx, dy, dz));
};

function forkDistance(x: number, y: number, z: number): number {
  const plate = boxDistance(x, y, z - 6, 38, 24, 6);
  const stem = boxDistance(x, y, z - 28, 11, 11, 22);
  // Two prongs: a half ring open at the top.
  const ring = Math.hypot(Math.hypot(x, z - 78) - 30, y) - 8;
  const prongs = Math.max(ring, z - 88);
  const bore = Math.max(Math.hypot(y, z - 36) - 5, Math.abs(x) - 30);
  const screw = Math.min(Math.hypot(x - 28, y), Math.hypot(x + 28, y)) - 4.5;
  return 0.95 * Math.max(smoothMin(Math.min(plate, stem), prongs, 6), -bore, -screw);
}

function forkColor(x: number, y: number, z: number): [number, number, number] {
  const grain = noise(x / 4, y / 4, z / 4) - 0.5;
  // Rubbed bright inside the fork, dark elsewhere.
  if (Math.hypot(x, z - 78) < 26 && z > 40) return [150 + 20 * grain, 142 + 20 * grain, 130 + 20 * grain];
  return [48 + 22 * grain, 46 + 20 * grain, 44 + 18 * grain];
}

/** Finish of the whole surface. */
const CASTING = glossy(0.35);

/** A dark cast bracket with crisp edges, a bore and a rubbed half ring, standing on z = 0. */
export const oarFork: DemoObject = {
  id: 'oar-fork',
  name: 'Oar fork',
  distance: forkDistance,
  color: forkColor,
  min: [-42, -27, -2],
  max: [42, 27, 92],
  material: () => CASTING,
};
