import { fromTwist, gaussian, lookAt, multiply, type Mat4, type Random, type Vec3 } from '@amber-knit/core/math';
import type { HeldAt } from '@amber-knit/device-protocol';

/** Degrees round per frame of a sweep at its proper speed. */
const STEP = 3;

/** Where a scripted sweep holds the scanner at its k-th frame, beginning where it is; `undefined` once it is over. */
export function sweepAt(sweep: string, frame: number, speed: number, from: HeldAt, best: number): HeldAt | undefined {
  const first = stretch(sweep, 0, speed, from, best);
  if (!first) return undefined;
  // First to where the sweep begins, as slowly as the sweep itself.
  const way = Math.max(
    Math.abs(first.up - from.up) / STEP,
    Math.abs(first.distance - from.distance) / (0.05 * best),
    Math.abs(from.yaw) / STEP,
    Math.abs(from.pitch) / STEP,
  );
  const steps = Math.ceil(way / speed);
  if (frame >= steps) return stretch(sweep, frame - steps, speed, from, best);
  const t = frame / steps;
  const mix = (a: number, b: number): number => a + t * (b - a);
  return {
    around: from.around,
    up: mix(from.up, first.up),
    distance: mix(from.distance, first.distance),
    yaw: mix(from.yaw, 0),
    pitch: mix(from.pitch, 0),
  };
}

function stretch(sweep: string, frame: number, speed: number, from: HeldAt, best: number): HeldAt | undefined {
  const turned = STEP * speed * frame;
  const around = from.around + turned;
  const a = (around * Math.PI) / 180;
  const straight = { yaw: 0, pitch: 0 };
  switch (sweep) {
    case 'round':
      if (turned > 363) return undefined;
      return { around, up: 24 + 12 * Math.sin(2 * a), distance: best + 12 * Math.sin(3 * a), ...straight };
    case 'spiral':
      if (turned > 1080) return undefined;
      return { around, up: 10 + (58 * turned) / 1080, distance: best + 8 * Math.sin(3 * a), ...straight };
    case 'back-and-forth': {
      if (turned > 720) return undefined;
      const swing = 60 * Math.sin((turned * Math.PI) / 180);
      return { around: from.around + swing, up: 20 + (40 * turned) / 720, distance: best, ...straight };
    }
    default:
      return undefined;
  }
}

/** Limits of what an arm can do. */
export function reachable(h: HeldAt, best: number): HeldAt {
  const clamp = (x: number, a: number, b: number): number => Math.max(a, Math.min(b, x));
  return {
    around: h.around,
    up: clamp(h.up, -4, 88),
    distance: clamp(h.distance, 0.4 * best, 3 * best),
    yaw: clamp(h.yaw, -40, 40),
    pitch: clamp(h.pitch, -40, 40),
  };
}

/** Sensor pose of a held scanner over the table; `tremor` 1 is a calm hand. */
export function poseOf(h: HeldAt, middle: number, tremor: number, random: Random): Mat4 {
  const around = (h.around * Math.PI) / 180;
  const up = (h.up * Math.PI) / 180;
  const eye: Vec3 = [
    h.distance * Math.cos(up) * Math.cos(around),
    h.distance * Math.cos(up) * Math.sin(around),
    middle + h.distance * Math.sin(up),
  ];
  const steady = lookAt(eye, [0, 0, middle], [0, 0, 1]);
  const aim = fromTwist(0, (h.yaw * Math.PI) / 180, 0, 0, 0, 0);
  const nod = fromTwist((-h.pitch * Math.PI) / 180, 0, 0, 0, 0, 0);
  const shake = [0, 1, 2].map(() => 0.002 * tremor * gaussian(random)) as Vec3;
  const shift = [0, 1, 2].map(() => 0.6 * tremor * gaussian(random)) as Vec3;
  return multiply(multiply(multiply(steady, aim), nod), fromTwist(...shake, ...shift));
}

/** A step of a hand that follows where it is wanted with a little delay. `dt` in seconds. */
export function follow(now: HeldAt, wanted: HeldAt, dt: number): HeldAt {
  const k = 1 - Math.exp(-dt / 0.18);
  const mix = (a: number, b: number): number => a + k * (b - a);
  return {
    around: mix(now.around, wanted.around),
    up: mix(now.up, wanted.up),
    distance: mix(now.distance, wanted.distance),
    yaw: mix(now.yaw, wanted.yaw),
    pitch: mix(now.pitch, wanted.pitch),
  };
}
