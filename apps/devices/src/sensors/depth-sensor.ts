import { fromAxisAngle, fromTwist, gaussian, invertRigid, multiply, type Mat4 } from '@amber-knit/core/math';
import { captureFrame, type DepthCameraModel } from '@amber-knit/demo';
import { poseOf } from '../operator.js';
import { exposureOf, type Moment, type Sensor, type Taken } from './sensor.js';

export interface DepthSensorOptions {
  model: DepthCameraModel;
  /** Size of the large picture that comes now and then. */
  largePicture: { width: number; height: number };
  /** Exposure (ms) at gain 0 that suits a grey surface at the best distance. */
  nominalExposure: number;
  /** Depths outside are not sent, mm. */
  range: { near: number; far: number };
  /** mm a step. */
  unit: number;
  /** The sensor stands on its own feet beside a table that turns. */
  stands?: boolean;
  /** The device tells where it believes to be; its belief drifts by so much a frame, mm and radians. */
  drift?: { mm: number; rad: number };
}

/** A depth camera of any kind. */
export function depthSensor(o: DepthSensorOptions): Sensor {
  let strayed: Mat4 | undefined;
  return (now: Moment): Taken => {
    const { settings, bench, held, random } = now;
    const { exposure, light, frameRate, colorEvery } = settings;
    let pose = poseOf(held, bench.middle, o.stands ? 0 : now.tremor, random);
    // A turned table is a sensor that has gone round the other way.
    if (now.turned !== 0) pose = multiply(fromAxisAngle([0, 0, 1], (-now.turned * Math.PI) / 180), pose);
    const large = colorEvery > 0 && now.sequence % colorEvery === 0;
    const sensor = { ...o.model, color: large ? o.largePicture : o.model.color };
    const frame = captureFrame(bench.scene, pose, sensor, random, '', true, {
      exposure: exposureOf(settings, o.nominalExposure),
      light: light / 100,
      roomLight: now.arrangement.roomLight,
      blur: (smear(now.before ?? pose, pose, o.model.depth.fx, held.distance) * exposure * frameRate) / 1000,
    });
    if (o.drift) {
      const { mm, rad } = o.drift;
      const g = (): number => gaussian(random);
      const step = fromTwist(rad * g(), rad * g(), rad * g(), mm * g(), mm * g(), mm * g());
      strayed = strayed ? multiply(strayed, step) : step;
    }
    return {
      worldFromSensor: pose,
      frame: {
        depth: {
          camera: frame.camera,
          unit: o.unit,
          data: inSteps(frame.depth, o.unit, 0.7 * o.range.near, 1.4 * o.range.far),
          infrared: frame.infrared,
        },
        color: frame.color && { camera: frame.color.camera, data: frame.color.image.data as Uint8Array },
        pose: strayed && Float64Array.from(multiply(pose, strayed)),
      },
    };
  };
}

/** Depths as whole steps; 0 outside the limits. */
function inSteps(depth: Float32Array, unit: number, nearest: number, farthest: number): Uint16Array {
  const out = new Uint16Array(depth.length);
  for (let i = 0; i < depth.length; i++) {
    const z = depth[i];
    if (z > nearest && z < farthest) out[i] = z / unit + 0.5;
  }
  return out;
}

/** Pixels that the picture's middle moves between two poses. */
function smear(before: Mat4, after: Mat4, fx: number, distance: number): number {
  const d = multiply(invertRigid(before), after);
  return (fx * Math.hypot(d[8] * distance + d[12], d[9] * distance + d[13])) / distance;
}
