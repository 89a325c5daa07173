import type { DepthFrame, Intrinsics } from '@amber-knit/core/geometry';
import { pinhole } from '@amber-knit/core/geometry';
import {
  createRandom,
  fromTranslation,
  gaussian,
  invertRigid,
  multiply,
  type Mat4,
  type Random,
} from '@amber-knit/core/math';
import { rasterizeDepth } from '@amber-knit/core/mesh';
import type { Material } from './material.js';
import { smoothStep } from './shaping.js';
import { lookAtScene, lookThrough, type SimulatedScene, type SurfaceSeen } from './surface-seen.js';

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
 * incidence, drop-out at grazing angles, in highlights, on mirrors and through glass, flying pixels at depth steps; a
 * colour image lit from beside the lens with its own exposure and a highlight on gloss. The same random stream gives
 * the same frame.
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
  const seen = lookAtScene(scene, worldFromSensor, camera);
  const behind = lookThrough(scene, worldFromSensor, camera);
  const { depth, infrared } = measureDepth(scene, seen, behind, worldFromSensor, model, random, conditions);
  if (!withColor) return { name, camera, depth, infrared };
  const color = colorCamera(model);
  const same = color.width === camera.width && color.height === camera.height;
  const inColor = same ? seen : lookAtScene(scene, worldFromSensor, color);
  const behindColor = same ? behind : lookThrough(scene, worldFromSensor, color);
  return { name, camera, depth, infrared, color: takePicture(scene, inColor, behindColor, model, random, conditions) };
}

/** A frame with the depth sensor's own picture, where the conditions were given: 255 is over-exposed. */
export type CapturedFrame = Omit<DepthFrame, 'scanFromSensor'> & { infrared?: Uint8Array };

function measureDepth(
  scene: SimulatedScene,
  seen: SurfaceSeen,
  behind: SurfaceSeen | undefined,
  worldFromSensor: Mat4,
  model: DepthCameraModel,
  random: Random,
  conditions: CaptureConditions | undefined,
): { depth: Float32Array; infrared?: Uint8Array } {
  const { camera } = seen;
  const { width, height } = camera;
  // The projector covers what the camera sees at any distance of interest, in half the resolution.
  const wide = Math.round(0.75 * width);
  const shift = camera.cx / 2 + width / 8;
  const lit = rasterizeDepth(
    scene.mesh,
    multiply(fromTranslation(-model.baseline, 0, 0), invertRigid(worldFromSensor)),
    { width: wide, height: height >> 1, fx: camera.fx / 2, fy: camera.fy / 2, cx: shift, cy: camera.cy / 2 },
    true,
  );
  const depth = new Float32Array(width * height);
  const infrared = conditions && new Uint8Array(width * height);
  for (let v = 0; v < height; v++) {
    for (let u = 0; u < width; u++) {
      const i = v * width + u;
      const z = seen.depth[i];
      if (!(z > 0)) continue;
      const rx = (u - camera.cx) / camera.fx;
      // Shadow of the projector.
      const pu = Math.round((camera.fx * (rx * z - model.baseline)) / (2 * z) + shift);
      const pz = pu >= 0 && pu < wide ? lit.depth[(v >> 1) * wide + pu] : 0;
      const shadow = pz > 0 && pz < z - 4;
      if (shadow && !conditions) continue;
      const cos = seen.cosine[i];
      const material = scene.material(seen.triangle[i]);
      let noisier = 1;
      if (conditions) {
        const signal = signalAt(seen, i, material, shadow, model, conditions);
        infrared![i] = Math.max(0, Math.min(255, 190 * signal + 2 * quickNormal(random)));
        if (shadow || infrared![i] === 255) continue;
        const own = ownLight(seen, i, model, conditions);
        noisier = noiseFactor(signal, own / (own + 0.5 * conditions.roomLight), conditions);
        // What is too dark, drowned in room light or smeared by motion brings nothing.
        if (random() * 6 > 9 / noisier) continue;
      }
      // Grazing drop-out.
      if (random() > smoothStep(0.1, 0.28, cos)) continue;
      // A highlight towards the projector blinds the sensor.
      if (material.gloss > 0 && highlight(cos) * material.gloss > 0.6 + 0.3 * random()) continue;
      if (material.mirror > 0 && random() < material.mirror) continue;
      const through = material.clear > 0 && random() < material.clear;
      if (through) {
        // The pattern lands behind, bent twice by the glass: mostly unreadable, else somewhat too far.
        const far = behind!.depth[i];
        if (far > 0 && random() < 0.25) depth[i] = far + 2 + 6 * random();
        continue;
      }
      const sigma = model.noise * (z / model.noiseDistance) ** 2 * (0.8 + 0.2 / Math.max(0.2, cos));
      depth[i] = z + noisier * sigma * quickNormal(random);
    }
  }
  addFlyingPixels(depth, seen.depth, width, height, model.flyingRatio, random);
  return { depth, infrared };
}

/** Share of the light that a colour value throws back (IEC 61966-2-1, by its exponent of 2.2). */
const LINEAR = Float32Array.from({ length: 256 }, (_, v) => (v / 255) ** 2.2);

/** The sensor's own light on a place, 1 being what the best distance gets squarely. */
function ownLight({ cosine, depth }: SurfaceSeen, i: number, model: DepthCameraModel, c: CaptureConditions): number {
  return c.light * cosine[i] * (model.noiseDistance / depth[i]) ** 2;
}

/** Light that comes back from a place, 1 being as much as the sensor bears well; above 1.34 it is over-exposed. */
function signalAt(
  seen: SurfaceSeen,
  i: number,
  material: Material,
  shadow: boolean,
  model: DepthCameraModel,
  c: CaptureConditions,
): number {
  const { rgb } = seen;
  const own = shadow ? 0 : ownLight(seen, i, model, c);
  const mirror = shadow ? 0 : 2.5 * c.light * material.gloss * highlight(seen.cosine[i]);
  const diffuse = (1 - material.mirror) * (1 - material.clear);
  const reflectance = 0.35 * LINEAR[rgb[3 * i]] + 0.5 * LINEAR[rgb[3 * i + 1]] + 0.15 * LINEAR[rgb[3 * i + 2]];
  return 1.6 * c.exposure * (diffuse * reflectance * (own + 0.5 * c.roomLight) + mirror);
}

/**
 * How much more noise a depth has than at a good exposure: photon noise grows as the sensor's own share of the light
 * falls, the room's light adds noise but no signal, motion smears the pattern.
 * Shot noise against signal after R. Lange, P. Seitz (2001), Solid-state time-of-flight range camera; figures are ours.
 */
function noiseFactor(signal: number, ownShare: number, c: CaptureConditions): number {
  const own = Math.max(1e-3, signal * ownShare);
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

/** Mirror-like share of light thrown back to the lens: light and eye nearly coincide, so the incidence tells it. */
function highlight(cos: number): number {
  return cos > 0.96 ? cos ** 220 : 0;
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

/** The colour camera: same place and axis as the depth camera, its own size. */
function colorCamera(model: DepthCameraModel): Intrinsics {
  const { width, height } = model.color;
  const s = width / model.depth.width;
  const { fx, fy, cx, cy } = model.depth;
  return { width, height, fx: fx * s, fy: fy * s, cx: (cx + 0.5) * s - 0.5, cy: (cy + 0.5) * s - 0.5 };
}

/** What is seen where there is nothing, sRGB. */
const BACKGROUND = 38;

function takePicture(
  scene: SimulatedScene,
  seen: SurfaceSeen,
  behind: SurfaceSeen | undefined,
  model: DepthCameraModel,
  random: Random,
  conditions: CaptureConditions | undefined,
): DepthFrame['color'] {
  const { camera, triangle, cosine, rgb } = seen;
  const { width, height } = camera;
  const data = new Uint8Array(3 * width * height).fill(BACKGROUND);
  // Exposure acts on light, pixels hold its 2.2nd root.
  const exposed = conditions ? (conditions.exposure * (0.6 + 0.4 * conditions.roomLight)) ** (1 / 2.2) : 1;
  const gain = exposed * (1 + model.exposureSpread * gaussian(random));
  for (let i = 0; i < triangle.length; i++) {
    if (triangle[i] < 0) continue;
    const cos = cosine[i];
    const { gloss, mirror, clear } = scene.material(triangle[i]);
    // Soft light from all round the lens: little shading.
    const shade = gain * (0.82 + 0.18 * cos);
    const glare = gloss > 0 ? 190 * gloss * highlight(cos) : 0;
    for (let k = 0; k < 3; k++) {
      let own = rgb[3 * i + k];
      if (mirror > 0) own += mirror * (0.5 * BACKGROUND - 0.5 * own);
      if (clear > 0) own += clear * ((behind!.triangle[i] >= 0 ? behind!.rgb[3 * i + k] : BACKGROUND) - own);
      const value = own * shade + glare + 1.5 * quickNormal(random) + 0.5;
      data[3 * i + k] = value < 0 ? 0 : value > 255 ? 255 : value;
    }
  }
  return { camera, image: { width, height, data } };
}
