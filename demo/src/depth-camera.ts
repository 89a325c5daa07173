import type { DepthFrame, Intrinsics, TriangleMesh } from '@amber-knit/core/geometry';
import { pinhole, vertexNormals } from '@amber-knit/core/geometry';
import {
  createRandom,
  fromTranslation,
  gaussian,
  invertRigid,
  multiply,
  type Mat4,
  type Random,
} from '@amber-knit/core/math';
import { rasterizeDepth, type DepthRaster } from '@amber-knit/core/mesh';
import { smoothStep } from './shaping.js';

/** What stands in front of the simulated camera, in the world frame of one setup. */
export interface SimulatedScene {
  mesh: TriangleMesh;
  /** sRGB at a world point of a triangle. */
  color: (x: number, y: number, z: number, triangle: number) => [number, number, number];
  /** Share of mirror-like reflection of a triangle, 0–1. */
  gloss: (triangle: number) => number;
}

/** How a sensor is driven and held while it takes a frame. */
export interface CaptureConditions {
  /** Exposure and gain together, over what suits a grey surface at the best distance. */
  exposure: number;
  /** Strength of the sensor's own light, 0–1. */
  light: number;
  /** Light of the room on the object, 0–1. */
  roomLight: number;
  /** Way of the picture during the exposure, pixels. */
  blur: number;
}

export interface DepthCameraModel {
  depth: Intrinsics;
  /** Size of the colour image; same place and axis as the depth camera. */
  color: { width: number; height: number };
  /** From the camera to its pattern projector along +X, mm: what either can't see has no depth. */
  baseline: number;
  /** Standard deviation of the depth at `noiseDistance` and square incidence, mm; grows with the distance squared. */
  noise: number;
  noiseDistance: number;
  /** Share of edge pixels that hang between front and back. */
  flyingRatio: number;
  /** Spread of the exposure from frame to frame (standard deviation of the gain). */
  exposureSpread: number;
}

export const HAND_HELD_DEPTH_CAMERA: DepthCameraModel = {
  depth: pinhole(256, 208, 34),
  color: { width: 512, height: 416 },
  baseline: 50,
  noise: 0.1,
  noiseDistance: 350,
  flyingRatio: 0.25,
  exposureSpread: 0.08,
};

/**
 * One frame of the simulated depth camera: occlusion of camera and projector, noise growing with distance and
 * incidence, drop-out at grazing angles and in highlights, flying pixels at depth steps; a colour image lit from beside
 * the lens with its own exposure and a highlight on gloss. The same random stream gives the same frame.
 *
 * Growth of noise with distance and incidence after C. Nguyen, S. Izadi, D. Lovell (2012), Modeling Kinect sensor noise
 * for improved 3D reconstruction and tracking; figures here are our own.
 */
export function captureFrame(
  scene: SimulatedScene,
  worldFromSensor: Mat4,
  model: DepthCameraModel,
  random: Random,
  name: string,
  withColor = true,
  conditions?: CaptureConditions,
): CapturedFrame {
  const { depth: camera } = model;
  const { width, height } = camera;
  const sensorFromWorld = invertRigid(worldFromSensor);
  const seen = rasterizeDepth(scene.mesh, sensorFromWorld, camera, true);
  const projectorFromSensor = fromTranslation(-model.baseline, 0, 0);
  // The projector covers what the camera sees at any distance of interest, in half the resolution.
  const wide = Math.round(0.75 * width);
  const shift = camera.cx / 2 + width / 8;
  const lit = rasterizeDepth(
    scene.mesh,
    multiply(projectorFromSensor, sensorFromWorld),
    { width: wide, height: height >> 1, fx: camera.fx / 2, fy: camera.fy / 2, cx: shift, cy: camera.cy / 2 },
    true,
  );
  const m = worldFromSensor;
  const normals = normalsOf(scene.mesh);
  const depth = new Float32Array(width * height);
  const infrared = conditions && new Uint8Array(width * height);
  const n: [number, number, number] = [0, 0, 0];
  for (let v = 0; v < height; v++) {
    for (let u = 0; u < width; u++) {
      const i = v * width + u;
      const z = seen.depth[i];
      if (!(z > 0)) continue;
      const rx = (u - camera.cx) / camera.fx;
      const ry = (v - camera.cy) / camera.fy;
      // Shadow of the projector.
      const px = rx * z - model.baseline;
      const pu = Math.round((camera.fx * px) / (2 * z) + shift);
      const pv = v >> 1;
      const pz = pu >= 0 && pu < wide ? lit.depth[pv * wide + pu] : 0;
      const shadow = pz > 0 && pz < z - 4;
      if (shadow && !conditions) continue;

      normalAt(scene.mesh, normals, seen.triangle[i], sensorFromWorld, n);
      const length = Math.sqrt(rx * rx + ry * ry + 1);
      const cos = Math.abs(n[0] * rx + n[1] * ry + n[2]) / length;
      let noisier = 1;
      if (conditions) {
        const x = (m[0] * rx + m[4] * ry + m[8]) * z + m[12];
        const y = (m[1] * rx + m[5] * ry + m[9]) * z + m[13];
        const w = (m[2] * rx + m[6] * ry + m[10]) * z + m[14];
        const signal = signalAt(scene, seen.triangle[i], x, y, w, z, cos, shadow, model, conditions);
        infrared![i] = Math.max(0, Math.min(255, 190 * signal + 2 * quickNormal(random)));
        if (shadow || infrared![i] === 255) continue;
        noisier = noiseFactor(signal, conditions);
        // What is too dark, drowned in room light or smeared by motion brings nothing.
        if (random() * 6 > 9 / noisier) continue;
      }
      // Grazing drop-out.
      if (random() > smoothStep(0.1, 0.28, cos)) continue;
      // A highlight towards the projector blinds the sensor.
      const gloss = scene.gloss(seen.triangle[i]);
      if (gloss > 0 && highlight(n, rx, ry, length) * gloss > 0.6 + 0.3 * random()) continue;
      const sigma = model.noise * (z / model.noiseDistance) ** 2 * (0.8 + 0.2 / Math.max(0.2, cos));
      depth[i] = z + noisier * sigma * quickNormal(random);
    }
  }
  addFlyingPixels(depth, seen.depth, width, height, model.flyingRatio, random);
  const color = withColor
    ? captureColor(scene, sensorFromWorld, worldFromSensor, model, normals, random, conditions, seen)
    : undefined;
  return { name, camera, depth, color, infrared };
}

/** A frame with the depth sensor's own picture, where the conditions were given: 255 is over-exposed. */
export type CapturedFrame = Omit<DepthFrame, 'scanFromSensor'> & { infrared?: Uint8Array };

const NORMALS = new WeakMap<TriangleMesh, Float32Array>();

export function normalsOf(mesh: TriangleMesh): Float32Array {
  let normals = NORMALS.get(mesh);
  if (!normals) NORMALS.set(mesh, (normals = vertexNormals(mesh)));
  return normals;
}

/** Share of the light that a colour value throws back (IEC 61966-2-1, by its exponent of 2.2). */
const LINEAR = Float32Array.from({ length: 256 }, (_, v) => (v / 255) ** 2.2);

/** Light that comes back from a place, 1 being as much as the sensor bears well; above 1.34 it is over-exposed. */
function signalAt(
  scene: SimulatedScene,
  triangle: number,
  x: number,
  y: number,
  z: number,
  distance: number,
  cos: number,
  shadow: boolean,
  model: DepthCameraModel,
  c: CaptureConditions,
): number {
  const rgb = scene.color(x, y, z, triangle);
  const reflectance = 0.35 * LINEAR[rgb[0] & 255] + 0.5 * LINEAR[rgb[1] & 255] + 0.15 * LINEAR[rgb[2] & 255];
  const own = shadow ? 0 : c.light * cos * (model.noiseDistance / distance) ** 2;
  const mirror = cos > 0.9 && !shadow ? 2.5 * c.light * scene.gloss(triangle) * cos ** 220 : 0;
  return 1.6 * c.exposure * (reflectance * (own + 0.5 * c.roomLight) + mirror);
}

/**
 * How much more noise a depth has than at a good exposure: photon noise grows as the signal falls, the room's light adds
 * noise but no signal, motion smears the pattern.
 * Shot noise against signal after R. Lange, P. Seitz (2001), Solid-state time-of-flight range camera; figures are ours.
 */
function noiseFactor(signal: number, c: CaptureConditions): number {
  const own = Math.max(1e-3, signal - 0.4 * c.exposure * c.roomLight);
  return Math.max(1, Math.sqrt(0.3 / own)) * (1 + 0.8 * c.roomLight ** 2) * (1 + 0.6 * Math.max(0, c.blur - 0.5) ** 2);
}

let normalNumbers: Float32Array | undefined;

/** A standard normal number out of 65,536 drawn beforehand: three a pixel are needed. */
export function quickNormal(random: Random): number {
  if (!normalNumbers) {
    const source = createRandom(1958);
    normalNumbers = Float32Array.from({ length: 65_536 }, () => gaussian(source));
  }
  return normalNumbers[(65_536 * random()) | 0];
}

/** Mirror-like share of light thrown back towards the lens by a normal `n` (sensor frame). */
function highlight(n: ArrayLike<number>, rx: number, ry: number, length: number): number {
  // Light and eye nearly coincide, so the half vector is the ray back to the sensor.
  const cos = Math.abs(n[0] * rx + n[1] * ry + n[2]) / length;
  return cos > 0.9 ? cos ** 220 : 0;
}

/** Interpolated (vertex-averaged) normal of a triangle, turned into the sensor frame. */
export function normalAt(
  mesh: TriangleMesh,
  normals: Float32Array,
  t: number,
  m: Mat4,
  out: [number, number, number],
): void {
  const a = 3 * mesh.indices[3 * t];
  const b = 3 * mesh.indices[3 * t + 1];
  const c = 3 * mesh.indices[3 * t + 2];
  const x = normals[a] + normals[b] + normals[c];
  const y = normals[a + 1] + normals[b + 1] + normals[c + 1];
  const z = normals[a + 2] + normals[b + 2] + normals[c + 2];
  const l = Math.sqrt(x * x + y * y + z * z) || 1;
  out[0] = (m[0] * x + m[4] * y + m[8] * z) / l;
  out[1] = (m[1] * x + m[5] * y + m[9] * z) / l;
  out[2] = (m[2] * x + m[6] * y + m[10] * z) / l;
}

function addFlyingPixels(
  depth: Float32Array,
  truth: Float32Array,
  width: number,
  height: number,
  ratio: number,
  random: Random,
): void {
  for (let v = 1; v < height - 1; v++) {
    for (let u = 1; u < width - 1; u++) {
      const i = v * width + u;
      if (!(depth[i] > 0)) continue;
      const z = truth[i];
      for (let k = 0; k < 4; k++) {
        const j = k === 0 ? i - 1 : k === 1 ? i + 1 : k === 2 ? i - width : i + width;
        if (truth[j] > z + 8 && random() < ratio / 2) {
          depth[i] = z + random() * Math.min(60, truth[j] - z);
          break;
        }
      }
    }
  }
}

function captureColor(
  scene: SimulatedScene,
  sensorFromWorld: Mat4,
  worldFromSensor: Mat4,
  model: DepthCameraModel,
  normals: Float32Array,
  random: Random,
  conditions: CaptureConditions | undefined,
  seenByDepth: DepthRaster,
): DepthFrame['color'] {
  const { width, height } = model.color;
  const s = width / model.depth.width;
  const camera: Intrinsics = {
    width,
    height,
    fx: model.depth.fx * s,
    fy: model.depth.fy * s,
    cx: (model.depth.cx + 0.5) * s - 0.5,
    cy: (model.depth.cy + 0.5) * s - 0.5,
  };
  const seen = s === 1 ? seenByDepth : rasterizeDepth(scene.mesh, sensorFromWorld, camera, true);
  const data = new Uint8Array(3 * width * height).fill(38);
  // Exposure acts on light, pixels hold its 2.2nd root.
  const exposed = conditions ? (conditions.exposure * (0.6 + 0.4 * conditions.roomLight)) ** (1 / 2.2) : 1;
  const gain = exposed * (1 + model.exposureSpread * gaussian(random));
  const n: [number, number, number] = [0, 0, 0];
  const m = worldFromSensor;
  for (let v = 0; v < height; v++) {
    for (let u = 0; u < width; u++) {
      const i = v * width + u;
      const t = seen.triangle[i];
      if (t < 0) continue;
      const z = seen.depth[i];
      const rx = (u - camera.cx) / camera.fx;
      const ry = (v - camera.cy) / camera.fy;
      const x = (m[0] * rx + m[4] * ry + m[8]) * z + m[12];
      const y = (m[1] * rx + m[5] * ry + m[9]) * z + m[13];
      const w = (m[2] * rx + m[6] * ry + m[10]) * z + m[14];
      const albedo = scene.color(x, y, w, t);
      normalAt(scene.mesh, normals, t, sensorFromWorld, n);
      const length = Math.sqrt(rx * rx + ry * ry + 1);
      const cos = Math.abs(n[0] * rx + n[1] * ry + n[2]) / length;
      // Soft light from all round the lens: little shading.
      const shade = gain * (0.82 + 0.18 * cos);
      const glare = 190 * scene.gloss(t) * highlight(n, rx, ry, length);
      for (let k = 0; k < 3; k++) {
        const value = albedo[k] * shade + glare + 1.5 * quickNormal(random) + 0.5;
        data[3 * i + k] = value < 0 ? 0 : value > 255 ? 255 : value;
      }
    }
  }
  return { camera, image: { width, height, data } };
}
