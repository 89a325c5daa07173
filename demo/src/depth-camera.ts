import type { DepthFrame, Intrinsics, TriangleMesh } from '@amber-knit/core/geometry';
import { vertexNormals } from '@amber-knit/core/geometry';
import {
  fromTranslation,
  gaussian,
  invertRigid,
  multiply,
  transformPoint,
  type Mat4,
  type Random,
} from '@amber-knit/core/math';
import { rasterizeDepth } from '@amber-knit/core/mesh';

/** What stands in front of the simulated camera, in the world frame of one setup. */
export interface SimulatedScene {
  mesh: TriangleMesh;
  /** sRGB at a world point of a triangle. */
  color: (x: number, y: number, z: number, triangle: number) => [number, number, number];
  /** Share of mirror-like reflection of a triangle, 0–1. */
  gloss: (triangle: number) => number;
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

export function pinhole(width: number, height: number, fieldOfViewDeg: number): Intrinsics {
  const f = width / 2 / Math.tan((fieldOfViewDeg * Math.PI) / 360);
  return { width, height, fx: f, fy: f, cx: (width - 1) / 2, cy: (height - 1) / 2 };
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
): Omit<DepthFrame, 'scanFromSensor'> {
  const { depth: camera } = model;
  const { width, height } = camera;
  const sensorFromWorld = invertRigid(worldFromSensor);
  const seen = rasterizeDepth(scene.mesh, sensorFromWorld, camera);
  const projectorFromSensor = fromTranslation(-model.baseline, 0, 0);
  const lit = rasterizeDepth(scene.mesh, multiply(projectorFromSensor, sensorFromWorld), {
    ...camera,
    // The projector covers what the camera sees at any distance of interest.
    cx: camera.cx + width / 4,
    width: Math.round(1.5 * width),
  });
  const normals = vertexNormals(scene.mesh);
  const depth = new Float32Array(width * height);
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
      const pu = Math.round((camera.fx * px) / z + camera.cx + width / 4);
      const pv = Math.round(camera.fy * ry + camera.cy);
      const pz = pu >= 0 && pu < Math.round(1.5 * width) ? lit.depth[pv * Math.round(1.5 * width) + pu] : 0;
      if (pz > 0 && pz < z - 2.5) continue;

      normalAt(scene.mesh, normals, seen.triangle[i], sensorFromWorld, n);
      const length = Math.hypot(rx, ry, 1);
      const cos = Math.abs(n[0] * rx + n[1] * ry + n[2]) / length;
      // Grazing drop-out.
      if (random() > smoothStep(0.1, 0.28, cos)) continue;
      // A highlight towards the projector blinds the sensor.
      const gloss = scene.gloss(seen.triangle[i]);
      if (gloss > 0 && highlight(n, rx, ry, length) * gloss > 0.6 + 0.3 * random()) continue;
      const sigma = model.noise * (z / model.noiseDistance) ** 2 * (0.8 + 0.2 / Math.max(0.2, cos));
      depth[i] = z + sigma * gaussian(random);
    }
  }
  addFlyingPixels(depth, seen.depth, width, height, model.flyingRatio, random);
  const color = withColor ? captureColor(scene, sensorFromWorld, worldFromSensor, model, normals, random) : undefined;
  return { name, camera, depth, color };
}

function smoothStep(a: number, b: number, x: number): number {
  const t = Math.max(0, Math.min(1, (x - a) / (b - a)));
  return t * t * (3 - 2 * t);
}

/** Mirror-like share of light thrown back towards the lens by a normal `n` (sensor frame). */
function highlight(n: ArrayLike<number>, rx: number, ry: number, length: number): number {
  // Light and eye nearly coincide, so the half vector is the ray back to the sensor.
  const cos = Math.abs(n[0] * rx + n[1] * ry + n[2]) / length;
  return cos ** 220;
}

/** Interpolated (vertex-averaged) normal of a triangle, turned into the sensor frame. */
function normalAt(mesh: TriangleMesh, normals: Float32Array, t: number, m: Mat4, out: [number, number, number]): void {
  let x = 0;
  let y = 0;
  let z = 0;
  for (let k = 0; k < 3; k++) {
    const i = 3 * mesh.indices[3 * t + k];
    x += normals[i];
    y += normals[i + 1];
    z += normals[i + 2];
  }
  const l = Math.hypot(x, y, z) || 1;
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
      for (const j of [i - 1, i + 1, i - width, i + width]) {
        if (truth[j] > truth[i] + 8 && random() < ratio / 2) {
          depth[i] = truth[i] + random() * Math.min(60, truth[j] - truth[i]);
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
  const seen = rasterizeDepth(scene.mesh, sensorFromWorld, camera);
  const data = new Uint8Array(3 * width * height);
  const gain = 1 + model.exposureSpread * gaussian(random);
  const n: [number, number, number] = [0, 0, 0];
  for (let v = 0; v < height; v++) {
    for (let u = 0; u < width; u++) {
      const i = v * width + u;
      const t = seen.triangle[i];
      if (t < 0) {
        data.fill(38, 3 * i, 3 * i + 3);
        continue;
      }
      const z = seen.depth[i];
      const rx = (u - camera.cx) / camera.fx;
      const ry = (v - camera.cy) / camera.fy;
      const [x, y, w] = transformPoint(worldFromSensor, rx * z, ry * z, z);
      const albedo = scene.color(x, y, w, t);
      normalAt(scene.mesh, normals, t, sensorFromWorld, n);
      const length = Math.hypot(rx, ry, 1);
      const cos = Math.abs(n[0] * rx + n[1] * ry + n[2]) / length;
      // Soft light from all round the lens: little shading.
      const shade = gain * (0.82 + 0.18 * cos);
      const glare = 190 * scene.gloss(t) * highlight(n, rx, ry, length);
      for (let k = 0; k < 3; k++) {
        data[3 * i + k] = Math.max(0, Math.min(255, Math.round(albedo[k] * shade + glare + 1.5 * gaussian(random))));
      }
    }
  }
  return { camera, image: { width, height, data } };
}
