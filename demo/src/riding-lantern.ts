import { GLASS, glossy, POLISHED, type Material } from './material.js';
import { noise, smoothMin, type DemoObject } from './shaping.js';

/** Heights between which the globe is, mm. */
const GLOBE = { below: 34, above: 88 };

function lanternDistance(x: number, y: number, z: number): number {
  const r = Math.hypot(x, y);
  const base = Math.max(r - 34 + 0.25 * z, z - 26, -z);
  const collar = Math.max(r - 25, z - GLOBE.below - 2, 24 - z);
  const globe = Math.hypot(r, 1.05 * (z - 61)) - 33;
  const cap = Math.max(r - 27 + 0.75 * (z - GLOBE.above), z - 112, GLOBE.above - 2 - z);
  const knob = Math.hypot(r, z - 116) - 9;
  // The bail: half a ring over the top, its feet on the cap.
  const bail = Math.hypot(Math.hypot(x, z - 96) - 34, y) - 2.6;
  const body = Math.min(smoothMin(base, collar, 3), Math.max(globe, GLOBE.below - z, z - GLOBE.above), cap);
  return smoothMin(Math.min(body, knob), z > 94 ? bail : bail + (94 - z), 2);
}

const IRON = glossy(0.15);

function lanternMaterial(x: number, y: number, z: number): Material {
  const r = Math.hypot(x, y);
  if (z < GLOBE.below) return IRON;
  if (z < GLOBE.above && r < 35) return GLASS;
  return r > 30 && z < 94 ? IRON : POLISHED;
}

function lanternColor(x: number, y: number, z: number): [number, number, number] {
  const grain = noise(x / 2.5, y / 2.5, z / 2.5) - 0.5;
  const material = lanternMaterial(x, y, z);
  if (material === GLASS) return [150, 168, 166];
  if (material === POLISHED) return [196 + 12 * grain, 158 + 12 * grain, 84 + 12 * grain];
  return [42 + 16 * grain, 44 + 16 * grain, 48 + 16 * grain];
}

/**
 * A riding lantern, standing on z = 0: a dark iron foot, a clear globe, a cap of polished brass with a bail. All that a
 * scanner finds hard in one piece, until it is matted with spray.
 */
export const ridingLantern: DemoObject = {
  id: 'riding-lantern',
  name: 'Riding lantern',
  distance: lanternDistance,
  color: lanternColor,
  material: lanternMaterial,
  min: [-40, -37, -2],
  max: [40, 37, 136],
};
