import { glossy } from './material.js';
import { noise, smoothMin, smoothStep, type DemoObject } from './shaping.js';

/** Outer and inner profile of the jug: radius over height, mm. The foot stands on z = 0. */
const OUTER: [number, number][] = [
  [0, 3],
  [20, 3],
  [26, 1.5],
  [29, 0],
  [33, 0],
  [36, 2.5],
  [44, 18],
  [52, 40],
  [55.5, 60],
  [54, 78],
  [47, 97],
  [39, 112],
  [36.5, 122],
  [38, 134],
  [42, 146],
  [43, 151],
];
const INNER: [number, number][] = [
  [0, 9],
  [24, 9.5],
  [36, 20],
  [45.5, 40],
  [50.5, 60],
  [49, 78],
  [42, 97],
  [34, 112],
  [31.8, 122],
  [33.5, 134],
  [38, 147],
  [40, 160],
];

/** Signed distance in the (r, z) half plane to the region between the axis and a profile, closed at its top. */
function profileDistance(profile: [number, number][], r: number, z: number): number {
  let best = Infinity;
  let inside = false;
  const n = profile.length;
  const top = profile[n - 1][1];
  for (let i = 0; i < n; i++) {
    const [ax, ay] = profile[i];
    // The last edge closes the region from the top of the profile to the axis.
    const [bx, by] = i + 1 < n ? profile[i + 1] : [0, top];
    const ex = bx - ax;
    const ey = by - ay;
    const t = Math.max(0, Math.min(1, ((r - ax) * ex + (z - ay) * ey) / (ex * ex + ey * ey)));
    const dx = r - ax - t * ex;
    const dy = z - ay - t * ey;
    best = Math.min(best, dx * dx + dy * dy);
    if (ay > z !== by > z && r < ((bx - ax) * (z - ay)) / (by - ay) + ax) inside = !inside;
  }
  const d = Math.sqrt(best);
  return inside ? -d : d;
}

/** A profile's distance sampled once on a fine grid over the half plane: bilinear look-up instead of 15 segments a call. */
class ProfileField {
  private static readonly STEP = 0.25;
  private static readonly LOW = -8;
  private static readonly COLUMNS = 520;
  private static readonly ROWS = 720;
  private readonly values = new Float32Array(ProfileField.COLUMNS * ProfileField.ROWS);

  constructor(profile: [number, number][]) {
    for (let j = 0; j < ProfileField.ROWS; j++) {
      for (let i = 0; i < ProfileField.COLUMNS; i++) {
        this.values[j * ProfileField.COLUMNS + i] = profileDistance(
          profile,
          i * ProfileField.STEP,
          ProfileField.LOW + j * ProfileField.STEP,
        );
      }
    }
  }

  at(r: number, z: number): number {
    const u = Math.max(0, Math.min(ProfileField.COLUMNS - 1.001, Math.abs(r) / ProfileField.STEP));
    const v = Math.max(0, Math.min(ProfileField.ROWS - 1.001, (z - ProfileField.LOW) / ProfileField.STEP));
    const i = Math.floor(u);
    const j = Math.floor(v);
    const k = j * ProfileField.COLUMNS + i;
    const a = u - i;
    const b = v - j;
    const f = this.values;
    return (
      (f[k] * (1 - a) + f[k + 1] * a) * (1 - b) +
      (f[k + ProfileField.COLUMNS] * (1 - a) + f[k + ProfileField.COLUMNS + 1] * a) * b
    );
  }
}

let outerField: ProfileField | undefined;
let innerField: ProfileField | undefined;
const outerDistance = (r: number, z: number): number => (outerField ??= new ProfileField(OUTER)).at(r, z);
const innerDistance = (r: number, z: number): number => (innerField ??= new ProfileField(INNER)).at(r, z);

/** The handle's middle line in the x–z plane: a quadratic curve, as points. */
const HANDLE: [number, number][] = Array.from({ length: 15 }, (_, i) => {
  const t = i / 14;
  const u = 1 - t;
  const x = u * u * u * 37 + 3 * u * u * t * 92 + 3 * u * t * t * 96 + t * t * t * 52;
  const z = u * u * u * 126 + 3 * u * u * t * 150 + 3 * u * t * t * 70 + t * t * t * 46;
  return [x, z] as [number, number];
});

function handleDistance(x: number, y: number, z: number): number {
  // Far from the handle any value beyond the blending width will do.
  if (x < 12) return 10;
  let best = Infinity;
  let radius = 6;
  for (let i = 0; i + 1 < HANDLE.length; i++) {
    const [ax, az] = HANDLE[i];
    const ex = HANDLE[i + 1][0] - ax;
    const ez = HANDLE[i + 1][1] - az;
    const t = Math.max(0, Math.min(1, ((x - ax) * ex + (z - az) * ez) / (ex * ex + ez * ez)));
    const dx = x - ax - t * ex;
    const dz = z - az - t * ez;
    const flat = y * 0.72;
    const d = dx * dx + dz * dz + flat * flat;
    if (d < best) {
      best = d;
      radius = 6.4 - 1.2 * Math.sin((Math.PI * (i + t)) / (HANDLE.length - 1));
    }
  }
  return Math.sqrt(best) - radius;
}

/** Three applied drops of clay on one side of the belly. */
const DROPS: [number, number][] = [
  [2.0, 66],
  [2.35, 58],
  [2.75, 70],
];

function jugDistance(x: number, y: number, z: number): number {
  const phi = Math.atan2(y, x);
  const r0 = Math.hypot(x, y);
  // The pouring lip, opposite the handle: the rim is pulled outwards and a little up.
  const away = Math.PI - Math.abs(phi);
  const pull = Math.exp(-((away / 0.42) ** 2)) * smoothStep(112, 152, z);
  const r = r0 - 11 * pull;
  const lift = z - 3 * pull;
  const outer = outerDistance(r, lift) - 0.8;
  const cavity = innerDistance(r, lift);
  let d = outer;
  for (const [angle, height] of DROPS) {
    const c = 54.5;
    d = smoothMin(d, Math.hypot(x - c * Math.cos(angle), y - c * Math.sin(angle), z - height) - 5, 3);
  }
  d = smoothMin(d, handleDistance(x, y, z), 7);
  return 0.8 * -smoothMin(-d, cavity, 2.5);
}

function jugColor(x: number, y: number, z: number): [number, number, number] {
  const phi = Math.atan2(y, x);
  const r = Math.hypot(x, y);
  const grain = noise(x / 6, y / 6, z / 6) - 0.5;
  const speck = noise(x / 1.7, y / 1.7, z / 1.7) > 0.86 ? 1 : 0;
  let c: [number, number, number] = [206 + 18 * grain, 196 + 18 * grain, 172 + 20 * grain];
  if (speck) c = [150, 128, 96];
  const insideJug = z > 8 && innerDistance(r, z) < 1;
  if (insideJug) c = [112 + 20 * grain, 74 + 14 * grain, 48 + 10 * grain];
  else if (r > 30 && r < 60) {
    // The painted band: two lines and a running wave between them.
    const wave = 88 + 5 * Math.sin(7 * phi);
    if (Math.abs(z - 79) < 1.6 || Math.abs(z - 99) < 1.6) c = [36, 62, 110];
    else if (Math.abs(z - wave) < 2.4) c = [40, 82, 148];
    else if (z > 80 && z < 98 && Math.hypot(((phi + 9) % 0.449) * 48 - 10.8, z - 82.8) < 1.7) c = [150, 54, 38];
  }
  // The foot is bare clay.
  const bare = smoothStep(9, 6, z + 2 * noise(x / 9, y / 9, 3));
  const clay = [168 + 22 * grain, 116 + 16 * grain, 76 + 14 * grain];
  return [0, 1, 2].map((k) => c[k] + (clay[k] - c[k]) * bare) as [number, number, number];
}

/** Finish of the whole surface. */
const GLAZE = glossy(0.55);

/** A glazed stoneware jug with a handle, a pouring lip, a painted band and a deep inside, standing on z = 0. */
export const galleyJug: DemoObject = {
  id: 'galley-jug',
  name: 'Galley jug',
  distance: jugDistance,
  color: jugColor,
  min: [-62, -62, -2],
  max: [102, 62, 158],
  material: () => GLAZE,
};
