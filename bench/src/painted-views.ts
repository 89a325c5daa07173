import type { DepthFrame, Scan, TriangleMesh } from '@amber-knit/core/geometry';
import { boundsOf, quickSrgbOfLight, vertexNormals } from '@amber-knit/core/geometry';
import {
  createRandom,
  fromTwist,
  gaussian,
  invertRigid,
  lookAt,
  multiply,
  normalize3,
  rotateVector,
  transformPoint,
  transformPoints,
  type Mat4,
  type Random,
  type Vec3,
} from '@amber-knit/core/math';
import { rasterizeDepth } from '@amber-knit/core/mesh';
import { restingPose, UPRIGHT, UPSIDE_DOWN } from '@amber-knit/demo';

/** Linear light of the paint at a place, three channels, 0–1. */
export type Paint = (x: number, y: number, z: number, out: Float64Array) => void;

export interface PaintedViewsOptions {
  frames: number;
  width: number;
  height: number;
  seed: number;
  /** One even light from everywhere, the same exposure throughout: the ceiling. */
  evenLight: boolean;
  /** The fixed lamp casts shadows. */
  shadows: boolean;
  /** Errors of the poses told with the frames: shift in mm and turn in degrees, one standard deviation per axis over √3. */
  poseShift: number;
  poseTurn: number;
}

export const PAINTED_VIEWS_DEFAULTS: PaintedViewsOptions = {
  frames: 12,
  width: 640,
  height: 480,
  seed: 1,
  evenLight: false,
  shadows: true,
  poseShift: 0,
  poseTurn: 0,
};

export interface PaintedViews {
  /** One scan a setup, both in the object's frame. */
  scans: Scan[];
  /** Where each frame truly stood. */
  truePoses: Mat4[];
}

/**
 * Paint that no light can be told from by its shape alone: patches of two sizes, gradients, lines of half a millimetre.
 * Light from 0.04 to 0.75.
 */
export function paintOf(seed: number): Paint {
  const random = createRandom(seed);
  const palette = Array.from({ length: 24 }, () => {
    const grey = 0.09 + 0.5 * random();
    return [0, 1, 2].map(() => Math.min(0.75, Math.max(0.04, grey * (0.55 + 0.9 * random()))));
  });
  const lines = Array.from({ length: 5 }, () => ({
    across: normalize3([gaussian(random), gaussian(random), gaussian(random)]),
    gap: 5 + 7 * random(),
    dark: random() < 0.6,
  }));
  const wave = Array.from({ length: 3 }, () => [0, 1, 2].map(() => gaussian(random) / 22));
  return (x, y, z, out) => {
    const large = cell(x / 34, y / 34, z / 34, seed);
    const small = cell(x / 9, y / 9, z / 9, seed + 77);
    const base = palette[(large + (small % 5 === 0 ? 7 : 0)) % palette.length];
    const fade = [0, 1, 2].map((k) => 1 + 0.25 * Math.sin(wave[k][0] * x + wave[k][1] * y + wave[k][2] * z));
    let line = 1;
    for (const { across, gap, dark } of lines) {
      const at = (across[0] * x + across[1] * y + across[2] * z) / gap;
      if (Math.abs(at - Math.round(at)) * gap < 0.25) line = dark ? 0.3 : 1.7;
    }
    for (let k = 0; k < 3; k++) out[k] = Math.min(0.8, Math.max(0.03, base[k] * fade[k] * line));
  };
}

/** Number of the irregular cell (one seed point a unit cube) that a place lies in. */
function cell(x: number, y: number, z: number, seed: number): number {
  const [i, j, k] = [Math.floor(x), Math.floor(y), Math.floor(z)];
  let best = Infinity;
  let number = 0;
  for (let a = i - 1; a <= i + 1; a++) {
    for (let b = j - 1; b <= j + 1; b++) {
      for (let c = k - 1; c <= k + 1; c++) {
        const h = hash(a, b, c, seed);
        const d =
          (a + (h & 255) / 255 - x) ** 2 +
          (b + ((h >>> 8) & 255) / 255 - y) ** 2 +
          (c + ((h >>> 16) & 255) / 255 - z) ** 2;
        if (d < best) {
          best = d;
          number = h >>> 4;
        }
      }
    }
  }
  return number;
}

function hash(a: number, b: number, c: number, seed: number): number {
  let h = Math.imul(a, 0x8da6b343) ^ Math.imul(b, 0xd8163841) ^ Math.imul(c, 0xcb1ab31f) ^ Math.imul(seed, 0x9e3779b1);
  h = Math.imul(h ^ (h >>> 15), 0x2c1b3c6d);
  h = Math.imul(h ^ (h >>> 12), 0x297a2d39);
  return (h ^ (h >>> 15)) >>> 0;
}

/**
 * Colour and depth frames of a painted body in two setups: upright and upside down. A warm lamp fixed in the room with
 * shadows, bluish light from around, more of it from above, a lamp at the sensor that falls with the square of the distance,
 * a moderate highlight of both lamps, exposure ±25 %, white balance ±8 %, noise of the picture.
 */
export function paintedViews(
  mesh: TriangleMesh,
  paint: Paint,
  options: Partial<PaintedViewsOptions> = {},
): PaintedViews {
  const o = { ...PAINTED_VIEWS_DEFAULTS, ...options };
  const random = createRandom(o.seed);
  const normals = mesh.normals ?? vertexNormals(mesh);
  const truePoses: Mat4[] = [];
  const towardsLamp = normalize3([0.5 + 0.3 * gaussian(random), 0.4 + 0.3 * gaussian(random), 0.8]);
  const scans = [UPRIGHT, UPSIDE_DOWN].map((turn, setup): Scan => {
    const worldFromObject = restingPose(mesh, turn);
    const objectFromWorld = invertRigid(worldFromObject);
    const b = boundsOf(transformPoints(worldFromObject, mesh.positions));
    const middle: Vec3 = [0, 0, (b.min[2] + b.max[2]) / 2];
    const radius = Math.hypot(b.max[0] - b.min[0], b.max[1] - b.min[1], b.max[2] - b.min[2]) / 2;
    const lamp = rotateVector(objectFromWorld, ...towardsLamp);
    const above = rotateVector(objectFromWorld, 0, 0, 1);
    const lit =
      o.evenLight || !o.shadows
        ? undefined
        : litVertices(mesh, transformPoint(objectFromWorld, ...middle), lamp, radius);
    const frames = Array.from({ length: o.frames }, (_, i): DepthFrame => {
      const azimuth = (2 * Math.PI * (i + 0.6 * random())) / o.frames;
      const elevation = 0.15 + 0.75 * random();
      const distance = 2.6 * radius * (1 + 0.12 * gaussian(random) * 0.7);
      const eye: Vec3 = [
        middle[0] + distance * Math.cos(elevation) * Math.cos(azimuth),
        middle[1] + distance * Math.cos(elevation) * Math.sin(azimuth),
        middle[2] + distance * Math.sin(elevation),
      ];
      const pose = multiply(objectFromWorld, lookAt(eye, middle, [0.2 * gaussian(random), 0.2 * gaussian(random), 1]));
      truePoses.push(pose);
      const exposure = o.evenLight ? 1 : 0.75 + 0.5 * random();
      const gain = [0, 1, 2].map(() => (o.evenLight ? 1 : exposure * (0.92 + 0.16 * random())));
      return {
        ...picture(mesh, normals, paint, pose, { o, gain, lamp, above, lit, reach: 2.6 * radius, random }),
        name: `${setup}-${i}`,
        scanFromSensor: multiply(pose, shaken(o, random, distance)),
      };
    });
    return {
      name: setup === 0 ? 'Upright' : 'Upside down',
      setup: String(setup),
      cloud: { positions: mesh.positions },
      frames,
    };
  });
  return { scans, truePoses };
}

/** A small error of a pose, about the object's middle. */
function shaken(o: PaintedViewsOptions, random: Random, distance: number): Mat4 {
  const turn = (o.poseTurn * Math.PI) / 180 / Math.sqrt(3);
  const shift = o.poseShift / Math.sqrt(3);
  const g = (): number => gaussian(random);
  const w = [turn * g(), turn * g(), turn * g()];
  // The turn leaves the object's middle, `distance` ahead, where it is.
  return fromTwist(w[0], w[1], w[2], shift * g() - w[1] * distance, shift * g() + w[0] * distance, shift * g());
}

/** 1 where the lamp, far away, reaches a vertex, else 0: by a picture of the depths that the lamp sees. */
function litVertices(mesh: TriangleMesh, middle: Vec3, lamp: Vec3, radius: number): Float32Array {
  const far = 40 * radius;
  const size = 1600;
  const f = (0.48 * size * far) / radius;
  const camera = { width: size, height: size, fx: f, fy: f, cx: size / 2, cy: size / 2 };
  const eye = middle.map((c, k) => c + far * lamp[k]) as Vec3;
  const m = invertRigid(lookAt(eye, middle, Math.abs(lamp[2]) < 0.9 ? [0, 0, 1] : [0, 1, 0]));
  const { depth } = rasterizeDepth(mesh, m, camera);
  const p = transformPoints(m, mesh.positions);
  return Float32Array.from({ length: p.length / 3 }, (_, v) => {
    const z = p[3 * v + 2];
    const u = Math.round((f * p[3 * v]) / z + camera.cx);
    const w = Math.round((f * p[3 * v + 1]) / z + camera.cy);
    const first = depth[w * size + u];
    return first > 0 && first < z - 0.02 * radius ? 0 : 1;
  });
}

interface Shading {
  o: PaintedViewsOptions;
  gain: number[];
  lamp: Vec3;
  above: Vec3;
  lit?: Float32Array;
  /** Distance at which the lamp at the sensor is as bright as it is. */
  reach: number;
  random: Random;
}

const LAMP = [0.62, 0.53, 0.42];
const SKY = [0.2, 0.23, 0.28];
const GROUND = [0.1, 0.09, 0.08];
const AT_SENSOR = [0.5, 0.5, 0.52];
const GLOSS = 0.16;
const SHARPNESS = 28;
/** Each pixel is the mean of so many by so many rays. */
const FINER = 2;

function picture(
  mesh: TriangleMesh,
  normals: Float32Array,
  paint: Paint,
  pose: Mat4,
  { o, gain, lamp, above, lit, reach, random }: Shading,
): Omit<DepthFrame, 'name' | 'scanFromSensor'> {
  const { width, height } = o;
  const f = 0.92 * width;
  const camera = { width, height, fx: f, fy: f, cx: (width - 1) / 2, cy: (height - 1) / 2 };
  const fine = {
    width: FINER * width,
    height: FINER * height,
    fx: FINER * f,
    fy: FINER * f,
    cx: FINER * (camera.cx + 0.5) - 0.5,
    cy: FINER * (camera.cy + 0.5) - 0.5,
  };
  const sensorFromObject = invertRigid(pose);
  const seen = rasterizeDepth(mesh, sensorFromObject, fine);
  const coarse = rasterizeDepth(mesh, sensorFromObject, camera);
  const depth = coarse.depth.map((z) => (z > 0 ? z + 0.1 * gaussian(random) : 0));
  const light = new Float64Array(3 * width * height);
  const albedo = new Float64Array(3);
  const eye: Vec3 = [pose[12], pose[13], pose[14]];
  const p = mesh.positions;
  const at = new Float64Array(7);
  for (let v = 0; v < fine.height; v++) {
    for (let u = 0; u < fine.width; u++) {
      const pixel = 3 * (Math.floor(v / FINER) * width + Math.floor(u / FINER));
      const i = v * fine.width + u;
      const t = seen.triangle[i];
      if (t < 0) {
        for (let k = 0; k < 3; k++) light[pixel + k] += 0.18 * gain[k];
        continue;
      }
      const z = seen.depth[i];
      const sx = ((u - fine.cx) / fine.fx) * z;
      const sy = ((v - fine.cy) / fine.fy) * z;
      const x = pose[0] * sx + pose[4] * sy + pose[8] * z + pose[12];
      const y = pose[1] * sx + pose[5] * sy + pose[9] * z + pose[13];
      const w = pose[2] * sx + pose[6] * sy + pose[10] * z + pose[14];
      paint(x, y, w, albedo);
      if (o.evenLight) {
        for (let k = 0; k < 3; k++) light[pixel + k] += albedo[k];
        continue;
      }
      interpolate(p, normals, lit, mesh.indices, t, x, y, w, at);
      const [nx, ny, nz, shade] = at;
      const distance = Math.hypot(eye[0] - x, eye[1] - y, eye[2] - w);
      const e = [(eye[0] - x) / distance, (eye[1] - y) / distance, (eye[2] - w) / distance];
      const facing = Math.max(0, nx * e[0] + ny * e[1] + nz * e[2]);
      const toLamp = Math.max(0, nx * lamp[0] + ny * lamp[1] + nz * lamp[2]) * shade;
      const up = 0.5 + 0.5 * (nx * above[0] + ny * above[1] + nz * above[2]);
      const fall = (reach / distance) ** 2;
      const half = normalize3([e[0] + lamp[0], e[1] + lamp[1], e[2] + lamp[2]]);
      const gloss =
        GLOSS *
        (shade * Math.max(0, nx * half[0] + ny * half[1] + nz * half[2]) ** SHARPNESS +
          0.8 * fall * facing ** SHARPNESS);
      for (let k = 0; k < 3; k++) {
        const falls = LAMP[k] * toLamp + SKY[k] * up + GROUND[k] * (1 - up) + AT_SENSOR[k] * fall * facing;
        light[pixel + k] += gain[k] * (albedo[k] * falls + gloss);
      }
    }
  }
  const data = new Uint8Array(light.length);
  const share = 1 / FINER ** 2;
  for (let i = 0; i < light.length; i++)
    data[i] = Math.max(0, Math.min(255, Math.round(quickSrgbOfLight(light[i] * share) + 1.3 * gaussian(random))));
  return { camera, depth, color: { camera, image: { width, height, data } } };
}

/** Normal and lit share at a place of a triangle. */
function interpolate(
  p: Float32Array,
  normals: Float32Array,
  lit: Float32Array | undefined,
  indices: Uint32Array,
  t: number,
  x: number,
  y: number,
  z: number,
  out: Float64Array,
): void {
  const [a, b, c] = [indices[3 * t], indices[3 * t + 1], indices[3 * t + 2]];
  const weight = (i: number, j: number): number => {
    const [ux, uy, uz] = [p[3 * i] - x, p[3 * i + 1] - y, p[3 * i + 2] - z];
    const [vx, vy, vz] = [p[3 * j] - x, p[3 * j + 1] - y, p[3 * j + 2] - z];
    return Math.hypot(uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx);
  };
  const wa = weight(b, c);
  const wb = weight(c, a);
  const wc = weight(a, b);
  const sum = wa + wb + wc || 1;
  let length = 0;
  for (let k = 0; k < 3; k++) {
    out[k] = (wa * normals[3 * a + k] + wb * normals[3 * b + k] + wc * normals[3 * c + k]) / sum;
    length += out[k] ** 2;
  }
  length = Math.sqrt(length) || 1;
  for (let k = 0; k < 3; k++) out[k] /= length;
  out[3] = lit ? (wa * lit[a] + wb * lit[b] + wc * lit[c]) / sum : 1;
}
