import type { ColorImage, Intrinsics } from '@amber-knit/core/geometry';
import { fromAxisAngle, invertRigid, lookAt, multiply, type Mat4, type Random } from '@amber-knit/core/math';
import { rasterizeDepth } from '@amber-knit/core/mesh';
import { quickNormal } from './depth-camera.js';
import { faceNormalsOf, lookAtScene, type SimulatedScene } from './surface-seen.js';
import { smoothStep } from './shaping.js';

/** A camera beside a sheet of red laser light; the sheet holds the world's Z axis, about which the platform turns. */
export interface LineCameraModel {
  camera: Intrinsics;
  /** Half the width of the sheet where its light has fallen to 61 %, mm. */
  sheetWidth: number;
  /** The lens is sharpest at this distance, mm; elsewhere the picture is blurred. */
  sharpAt: number;
}

/** How the stand is set up and driven. */
export interface LineConditions {
  /** From the lens to the axis, and the lens over the platform, mm. */
  distance: number;
  height: number;
  /** Degrees from the camera to the laser; positive = right. */
  laserAngle: number;
  /** The camera aims beside the axis and over or under level, degrees. */
  yaw: number;
  pitch: number;
  /** Degrees that the platform has turned, counter-clockwise from above. */
  turned: number;
  /** Strength of the laser, 0–1. */
  laser: number;
  /** Exposure and gain together, 1 suits the laser on grey. */
  exposure: number;
  /** Light of the room, 0–1. */
  roomLight: number;
}

/** The laser's place over the camera's height, mm. */
const LASER_ABOVE = 200;
/** Grain of laser light on a rough surface: spread of its brightness. */
const SPECKLE = 0.1;

/** Pose of a stand's camera in the world of the resting scene. */
export function lineCameraPose(c: LineConditions): Mat4 {
  const yaw = (c.yaw * Math.PI) / 180;
  const pitch = (c.pitch * Math.PI) / 180;
  // Level and straight it looks along -X with its right along +Y.
  const ahead = [-Math.cos(yaw) * Math.cos(pitch), Math.sin(yaw) * Math.cos(pitch), Math.sin(pitch)];
  return lookAt([c.distance, 0, c.height], [c.distance + ahead[0], ahead[1], c.height + ahead[2]], [0, 0, 1]);
}

/**
 * One picture of the simulated line-laser stand: the scene in the light of the room, and the line where the sheet meets
 * what the laser sees: as wide as the sheet and the lens's blur make it, dim on dark and grazing surfaces, over-exposed
 * where there is too much of it, grainy with speckle.
 */
export function captureLine(
  scene: SimulatedScene,
  model: LineCameraModel,
  c: LineConditions,
  random: Random,
): ColorImage {
  const { camera } = model;
  const { width, height } = camera;
  // A turned platform is a stand that has gone round the other way.
  const back = fromAxisAngle([0, 0, 1], (-c.turned * Math.PI) / 180);
  const worldFromCamera = multiply(back, lineCameraPose(c));
  const seen = lookAtScene(scene, worldFromCamera, camera);
  const around = ((c.laserAngle - c.turned) * Math.PI) / 180;
  const [lx, ly] = [Math.cos(around), Math.sin(around)];
  // The laser stands as far from the axis as the camera, higher, and sees the whole platform.
  const laserHeight = c.height + LASER_ABOVE;
  const laserFromWorld = invertRigid(lookAt([c.distance * lx, c.distance * ly, laserHeight], [0, 0, 40], [0, 0, 1]));
  const wide: Intrinsics = { width: 240, height: 240, fx: 260, fy: 260, cx: 119.5, cy: 119.5 };
  const lit = c.laser > 0 ? rasterizeDepth(scene.mesh, laserFromWorld, wide, true) : undefined;
  const normals = faceNormalsOf(scene.mesh);
  const m = worldFromCamera;
  const l = laserFromWorld;
  const data = new Uint8Array(3 * width * height);
  const room = 0.1 + 0.9 * c.roomLight;
  for (let v = 0; v < height; v++) {
    for (let u = 0; u < width; u++) {
      const i = v * width + u;
      const t = seen.triangle[i];
      let red = 0;
      if (t >= 0) {
        const z = seen.depth[i];
        const rx = ((u - camera.cx) / camera.fx) * z;
        const ry = ((v - camera.cy) / camera.fy) * z;
        const x = m[0] * rx + m[4] * ry + m[8] * z + m[12];
        const y = m[1] * rx + m[5] * ry + m[9] * z + m[13];
        const w = m[2] * rx + m[6] * ry + m[10] * z + m[14];
        const off = x * ly - y * lx;
        const blur = (z * Math.abs(1 - model.sharpAt / z) * 0.02) ** 2;
        const spread = model.sheetWidth ** 2 + blur;
        if (lit && off * off < 16 * spread) {
          const lz = l[2] * x + l[6] * y + l[10] * w + l[14];
          const lu = Math.round((wide.fx * (l[0] * x + l[4] * y + l[8] * w + l[12])) / lz + wide.cx);
          const lv = Math.round((wide.fy * (l[1] * x + l[5] * y + l[9] * w + l[13])) / lz + wide.cy);
          const inside = lz > 0 && lu >= 0 && lv >= 0 && lu < wide.width && lv < wide.height;
          const nearest = inside ? lit.depth[lv * wide.width + lu] : 0;
          // At a rim the laser's coarser picture may show nothing at all: then nothing is in the way.
          if (inside && (nearest === 0 || nearest > lz - 3)) {
            const toX = lx * c.distance - x;
            const toY = ly * c.distance - y;
            const toZ = laserHeight - w;
            const facing = normals[3 * t] * toX + normals[3 * t + 1] * toY + normals[3 * t + 2] * toZ;
            const cos = Math.abs(facing) / Math.hypot(toX, toY, toZ);
            const grain = 1 + SPECKLE * quickNormal(random);
            // Blur widens the line and dims it alike.
            const share = model.sheetWidth / Math.sqrt(spread);
            const { mirror, clear } = scene.material(t);
            red =
              (1 - mirror) *
              (1 - clear) *
              255 *
              2.2 *
              c.laser *
              share *
              grain *
              Math.exp(-(off * off) / (2 * spread)) *
              smoothStep(0, 0.35, cos);
          }
        }
      }
      for (let k = 0; k < 3; k++) {
        // A colour's own share of red light, and a little of it in the other channels' filters.
        const paint = t >= 0 ? seen.rgb[3 * i + k] : DARK[k];
        const own = k === 0 ? 0.15 + 0.85 * (paint / 255) : 0.06;
        const value = c.exposure * (paint * room + red * own) + 1.5 * quickNormal(random) + 0.5;
        data[3 * i + k] = value < 0 ? 0 : value > 255 ? 255 : value;
      }
    }
  }
  return { width, height, data };
}

const DARK = [26, 27, 29] as const;
