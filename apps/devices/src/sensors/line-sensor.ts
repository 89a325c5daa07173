import { captureLine, lineCameraPose, type LineCameraModel, type LineConditions } from '@amber-knit/demo';
import { exposureOf, type Moment, type Sensor } from './sensor.js';

export interface LineSensorOptions {
  model: LineCameraModel;
  nominalExposure: number;
}

/**
 * A camera and a line laser beside a turning platform. The operator's hand moves the parts: `around` is the laser's
 * angle, `up` and `distance` the camera's place, `yaw` and `pitch` its aim. A spirit level on the camera tells its pose.
 */
export function lineSensor({ model, nominalExposure }: LineSensorOptions): Sensor {
  return (now: Moment) => {
    const conditions = conditionsOf(now, nominalExposure);
    const image = captureLine(now.bench.scene, model, conditions, now.random);
    const pose = lineCameraPose(conditions);
    return {
      worldFromSensor: pose,
      frame: { color: { camera: model.camera, data: image.data as Uint8Array }, pose: levelOnly(pose) },
    };
  };
}

function conditionsOf({ held, settings, arrangement, turned }: Moment, nominalExposure: number): LineConditions {
  return {
    distance: held.distance,
    height: held.distance * Math.tan((held.up * Math.PI) / 180),
    laserAngle: held.around,
    yaw: held.yaw,
    pitch: held.pitch,
    turned,
    laser: settings.light / 100,
    exposure: exposureOf(settings, nominalExposure),
    roomLight: arrangement.roomLight,
  };
}

/** What a spirit level tells: directions, no place. */
function levelOnly(pose: Float64Array): Float64Array {
  const out = Float64Array.from(pose);
  out.fill(0, 12, 15);
  return out;
}
