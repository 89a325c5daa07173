import { filterPoints, type Intrinsics, type PointCloud, type TriangleMesh } from '@amber-knit/core/geometry';
import { boundsOf, pinhole } from '@amber-knit/core/geometry';
import { frameCloud } from '@amber-knit/core/pointcloud';
import {
  createRandom,
  gaussian,
  invertRigid,
  lookAt,
  multiply,
  transformPoints,
  type Mat4,
  type Vec3,
} from '@amber-knit/core/math';
import { captureFrame, HAND_HELD_DEPTH_CAMERA } from './depth-camera.js';
import { ON_ITS_SIDE, restingPose, setupScene, UPRIGHT, UPSIDE_DOWN } from './scene.js';

/** One view in sensor coordinates and the pose that a registration should find. */
export interface SingleView {
  name: string;
  cloud: PointCloud;
  objectFromSensor: Mat4;
  /** The depth camera: points lie at its pixels. */
  camera: Intrinsics;
  /** How the object lay. */
  setup: string;
}

export interface SingleViewOptions {
  views: number;
  setups: 2 | 3;
  /** Every other setup shows its table. */
  tables: boolean;
  /** Wanted points of a view, about. */
  points: number;
  noise: number;
  seed: number;
  /** From the sensor to the object's middle, about, mm. */
  distance: number;
  /** Pixels of the depth image; left away, a square that gives the wanted points. */
  resolution?: [width: number, height: number];
}

export const SINGLE_VIEW_DEFAULTS: SingleViewOptions = {
  views: 12,
  setups: 2,
  tables: true,
  points: 100_000,
  noise: 0.1,
  seed: 1,
  distance: 350,
};

/** Single views of a mesh from around, in unknown positions to one another: a stand-in for a turn around the object. */
export function simulateSingleViews(
  mesh: TriangleMesh,
  color: (x: number, y: number, z: number) => [number, number, number],
  options: Partial<SingleViewOptions> = {},
): SingleView[] {
  const o = { ...SINGLE_VIEW_DEFAULTS, ...options };
  const random = createRandom(o.seed);
  const turns = [UPRIGHT, UPSIDE_DOWN, ON_ITS_SIDE].slice(0, o.setups);
  const out: SingleView[] = [];
  for (let i = 0; i < o.views; i++) {
    const setup = i % o.setups;
    const worldFromObject = restingPose(mesh, turns[setup]);
    const withTable = o.tables && setup % 2 === 0;
    const b = boundsOf(transformPoints(worldFromObject, mesh.positions));
    const middle: Vec3 = [0, 0, (b.min[2] + b.max[2]) / 2];
    const radius = Math.hypot(b.max[0] - b.min[0], b.max[1] - b.min[1], b.max[2] - b.min[2]) / 2;
    const perSetup = Math.ceil(o.views / o.setups);
    const azimuth = (2 * Math.PI * (Math.floor(i / o.setups) + 0.5 * random())) / perSetup;
    const elevation = 0.25 + 0.55 * random();
    const distance = o.distance + 20 * gaussian(random);
    const eye: Vec3 = [
      middle[0] + distance * Math.cos(elevation) * Math.cos(azimuth),
      middle[1] + distance * Math.cos(elevation) * Math.sin(azimuth),
      middle[2] + distance * Math.sin(elevation),
    ];
    // The sensor is held at any angle about its axis.
    const roll = 2 * Math.PI * random();
    const up: Vec3 = [Math.sin(roll) * Math.sin(azimuth), -Math.sin(roll) * Math.cos(azimuth), Math.cos(roll)];
    const worldFromSensor = lookAt(eye, middle, up);
    // About four tenths of a square picture show the object, all of it object or table if there is one.
    const size = Math.round(Math.sqrt(o.points / (withTable ? 0.85 : 0.4)));
    const [width, height] = o.resolution ?? [size, size];
    const spread = (1.12 * radius * width) / height;
    const fieldOfView = (2 * Math.atan(spread / distance) * 180) / Math.PI;
    const scene = setupScene(mesh, worldFromObject, color, 0.3, withTable ? 1.35 * radius : 0);
    const camera = pinhole(width, height, fieldOfView);
    const frame = captureFrame(
      scene,
      worldFromSensor,
      {
        ...HAND_HELD_DEPTH_CAMERA,
        depth: camera,
        color: { width, height },
        noise: o.noise,
        noiseDistance: o.distance,
      },
      random,
      `view_${String(i).padStart(2, '0')}`,
    );
    let cloud = frameCloud(frame);
    if (cloud.positions.length / 3 > o.points) {
      const keep = new Uint8Array(cloud.positions.length / 3);
      const share = o.points / keep.length;
      for (let k = 0; k < keep.length; k++) keep[k] = random() < share ? 1 : 0;
      cloud = filterPoints(cloud, keep);
    }
    out.push({
      name: `scan_${String(i).padStart(2, '0')}`,
      cloud,
      camera,
      objectFromSensor: multiply(invertRigid(worldFromObject), worldFromSensor),
      setup: ['Upright', 'Upside down', 'On its side'][setup],
    });
  }
  return out;
}
