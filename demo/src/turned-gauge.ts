import { MATT } from './material.js';
import { noise, type DemoObject } from './shaping.js';

/** The gauge's true measures, mm: a cylinder, a cone on it, a ball on that. */
export const GAUGE = {
  cylinder: { radius: 30, top: 40 },
  cone: { below: 30, above: 14, top: 70 },
  ball: { radius: 20, middle: 84 },
};

function gaugeDistance(x: number, y: number, z: number): number {
  const r = Math.hypot(x, y);
  const { cylinder, cone, ball } = GAUGE;
  const drum = Math.max(r - cylinder.radius, z - cylinder.top, -z);
  const slope = (cone.below - cone.above) / (cone.top - cylinder.top);
  const side = (r - (cone.below - slope * (z - cylinder.top))) / Math.hypot(1, slope);
  const frustum = Math.max(side, z - cone.top, cylinder.top - 1 - z);
  return Math.min(drum, frustum, Math.hypot(r, z - ball.middle) - ball.radius);
}

function gaugeColor(x: number, y: number, z: number): [number, number, number] {
  const around = Math.atan2(y, x);
  const grain = 10 * (noise(x / 3, y / 3, z / 3) - 0.5);
  // Painted marks of different width, so that no turn but a whole one looks the same.
  const mark = [0.4, 1.5, 3.2, 4.1, 5.3].some((a, k) => Math.abs(Math.sin((around - a) / 2)) < 0.03 + 0.022 * k);
  return mark && z < 66 ? [70 + grain, 96 + grain, 104 + grain] : [186 + grain, 182 + grain, 172 + grain];
}

/** A turned test piece of known measures, matt: for learning a device and checking a stand. Stands on z = 0. */
export const turnedGauge: DemoObject = {
  id: 'turned-gauge',
  name: 'Turned gauge',
  distance: gaugeDistance,
  color: gaugeColor,
  min: [-33, -33, -2],
  max: [33, 33, 107],
  material: () => MATT,
};
