import { glossy } from './material.js';
import { noise, smoothMin, type DemoObject } from './shaping.js';

const RIM = 62;
const SPOKES = 5;

function wheelDistance(x: number, y: number, z: number): number {
  const r = Math.hypot(x, y);
  const rim = Math.hypot(r - RIM, z - 9) - 8;
  const hub = Math.max(r - 15, Math.abs(z - 12) - 12) - 1.2;
  // One spoke, repeated: the angle folded into its sector.
  const sector = (2 * Math.PI) / SPOKES;
  const phi = Math.atan2(y, x);
  const folded = phi - sector * Math.round(phi / sector);
  const sx = r * Math.cos(folded);
  const sy = r * Math.sin(folded);
  const along = Math.max(12, Math.min(RIM, sx));
  const spoke = Math.hypot(sx - along, sy, z - 10) - (6.4 - 0.03 * along);
  const body = smoothMin(smoothMin(rim, hub, 4), spoke, 5);
  const bore = r - 6.5;
  return 0.9 * Math.max(body, -bore);
}

function wheelColor(x: number, y: number, z: number): [number, number, number] {
  const grain = noise(x / 3, y / 3, z / 3) - 0.5;
  // One painted dot and one scratch are all that tells the five spokes apart.
  if (Math.hypot(x - 52, y - 34, z - 16) < 5.5) return [196, 62, 40];
  if (z > 14 && Math.abs(y + 0.35 * x + 8) < 0.9 && x > -70 && x < -40) return [196, 190, 178];
  return [64 + 14 * grain, 88 + 14 * grain, 78 + 14 * grain];
}

/** Finish of the whole surface. */
const PAINT = glossy(0.2);

/** A painted hand wheel with five equal spokes, one dot and one scratch, lying on z = 0. */
export const handWheel: DemoObject = {
  id: 'hand-wheel',
  name: 'Hand wheel',
  distance: wheelDistance,
  color: wheelColor,
  min: [-73, -73, -2],
  max: [73, 73, 28],
  material: () => PAINT,
};
