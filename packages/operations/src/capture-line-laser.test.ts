import { pinhole } from '@amber-knit/core/geometry';
import { createRandom } from '@amber-knit/core/math';
import { createRunContext } from '@amber-knit/core/runtime';
import { encodeColorJpeg, encodePictureZip } from '@amber-knit/core/stored';
import { captureLine, GAUGE, restingPose, setupScene, truthMesh, turnedGauge, UPRIGHT } from '@amber-knit/demo';
import { findOperation, runOperation } from './index.js';

const COUNT = 30;
const stand = { distance: 420, height: 80, laserAngle: 30 };

/** A little more than one turn of the gauge, clockwise, packed as someone's own camera would leave it. */
const zip = (() => {
  const mesh = truthMesh(turnedGauge, 2);
  const { distance, color } = turnedGauge;
  expect(distance(GAUGE.cylinder.radius, 0, 20)).toBeCloseTo(0, 6);
  const scene = setupScene(mesh, restingPose(mesh, UPRIGHT), color, 0, 110);
  const model = { camera: pinhole(640, 480, 42), sheetWidth: 0.5, sharpAt: 420 };
  const random = createRandom(3);
  const pictures = Array.from({ length: COUNT + 4 }, (_, k) => {
    const moment = { yaw: 0, pitch: 0, turned: (-360 * k) / COUNT, laser: 0.45, exposure: 1, roomLight: 0.2 };
    const image = captureLine(scene, model, { ...stand, ...moment }, random);
    return { name: `${k}.jpg`, bytes: encodeColorJpeg(image) };
  });
  return encodePictureZip(pictures);
})();

const run = (bytes: Uint8Array, params: object) => {
  const file = { name: 'Gauge.zip', mediaType: 'application/zip', bytes };
  return runOperation(findOperation('capture.line-laser'), { file }, params, createRunContext());
};

test('a zip of pictures becomes a scan to size: turn, way of turning and all found', async () => {
  const { outputs, figures } = await run(zip, { ...stand, fieldOfView: 42, platform: 220 });
  const { cloud, name } = outputs.scans![0];
  expect(name).toBe('Gauge');
  expect(figures.counterClockwise).toBe(false);
  expect(Math.abs((figures.picturesATurn as number) - COUNT)).toBeLessThan(0.05);
  const p = cloud.positions;
  const n = cloud.normals!;
  let radius = 0;
  let count = 0;
  let outwards = 0;
  for (let i = 0; i < p.length; i += 3) {
    if (p[i + 2] < 8 || p[i + 2] > 32) continue;
    radius += Math.hypot(p[i], p[i + 1]);
    outwards += (n[i] * p[i] + n[i + 1] * p[i + 1]) / Math.hypot(p[i], p[i + 1]);
    count++;
  }
  expect(count).toBeGreaterThan(100);
  // Averaging over cells 4.4 mm wide draws the round side inwards by at most a tenth of a millimetre.
  expect(Math.abs(radius / count - GAUGE.cylinder.radius)).toBeLessThan(0.15);
  expect(outwards / count).toBeGreaterThan(0.95);
});

test('what is no recording is refused in words', async () => {
  await expect(run(new Uint8Array([1, 2, 3]), {})).rejects.toThrow(/damaged/);
  await expect(run(encodePictureZip([]), {})).rejects.toThrow(/no PNG or JPEG/);
  const text = encodePictureZip([{ name: '0.jpg', bytes: new Uint8Array([9, 9, 9]) }]);
  await expect(run(text, {})).rejects.toThrow(/can't be read as a PNG or JPEG/);
  await expect(run(zip, { laserAngle: 1, count: 30 })).rejects.toThrow(/between 3° and 90°/);
});
