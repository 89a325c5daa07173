import { boundsOf, pointCount, type DepthFrame } from '@amber-knit/core/geometry';
import { invertRigid, lookAt, multiply, transformPoints, type Mat4 } from '@amber-knit/core/math';
import { rasterizeDepth } from '@amber-knit/core/mesh';
import { createRunContext } from '@amber-knit/core/runtime';
import { decodeCapture, encodeCapture, encodeFrames } from '@amber-knit/core/stored';
import { lumps, meshOf } from '../../core/test/shapes.js';
import { findOperation, runOperation } from './index.js';

const camera = { width: 160, height: 120, fx: 240, fy: 240, cx: 79.5, cy: 59.5 };

/** A lumpy ball on a large table, seen from four sides; the scan's frame is the first sensor's. */
function capture(): { bytes: Uint8Array; scanFromWorld: Mat4 } {
  const ball = meshOf(lumps, 42, 2);
  const base = ball.positions.length / 3;
  const low = boundsOf(ball.positions).min[2];
  const table = [-150, -150, low, 150, -150, low, 150, 150, low, -150, 150, low];
  const mesh = {
    positions: Float32Array.from([...ball.positions, ...table]),
    indices: Uint32Array.from([...ball.indices, base, base + 1, base + 2, base, base + 2, base + 3]),
  };
  const poses = [0, 20, 40, 60].map((deg) => {
    const a = (deg * Math.PI) / 180;
    return lookAt([200 * Math.cos(a), 200 * Math.sin(a), 90], [0, 0, -10], [0, 0, 1]);
  });
  const scanFromWorld = invertRigid(poses[0]);
  const parts = poses.map((pose, i) => {
    const { depth } = rasterizeDepth(mesh, invertRigid(pose), camera);
    const frame: DepthFrame = { name: `f${i}`, camera, depth, scanFromSensor: multiply(scanFromWorld, pose) };
    return encodeFrames([frame]);
  });
  return { bytes: encodeCapture(parts, { setup: 'Upright' }), scanFromWorld };
}

const { bytes, scanFromWorld } = capture();
const run = (params: object) =>
  runOperation(
    findOperation('capture.live'),
    { file: { name: 'Scan 1', mediaType: 'application/octet-stream', bytes } },
    params,
    createRunContext(),
  );

test('the frames of a capture become one scan without its support', async () => {
  const { outputs, figures } = await run({});
  const [scan] = outputs.scans!;
  expect(scan.name).toBe('Scan 1');
  expect(scan.frames).toHaveLength(4);
  expect(figures.supportPoints).toBeGreaterThan(2000);
  // Back in the world, what is left lies on the ball: nothing is left of the table beside it.
  const p = transformPoints(invertRigid(scanFromWorld), scan.cloud.positions);
  let off = 0;
  for (let i = 0; i < p.length; i += 3) if (Math.abs(lumps(p[i], p[i + 1], p[i + 2])) > 1.5) off++;
  expect(off / pointCount(scan.cloud)).toBeLessThan(0.01);
  expect(pointCount(scan.cloud)).toBeGreaterThan(3000);
});

test('the support stays when it is wanted, and the spacing is kept', async () => {
  const { outputs, figures } = await run({ support: 'keep', spacing: 3, name: 'With table' });
  expect(outputs.scans![0].name).toBe('With table');
  expect(figures.supportPoints).toBe(0);
  expect(figures.spacing).toBeGreaterThan(1.4);
});

test('only what lies near to where the first frame aims is kept, if that is wanted', async () => {
  const { outputs } = await run({ support: 'keep', within: 60 });
  const [scan] = outputs.scans!;
  const b = boundsOf(scan.cloud.positions);
  const whole = boundsOf((await run({ support: 'keep' })).outputs.scans![0].cloud.positions);
  for (let k = 0; k < 3; k++) expect(b.max[k] - b.min[k]).toBeLessThan(121);
  expect(whole.max[0] - whole.min[0]).toBeGreaterThan(200);
  expect(pointCount(scan.cloud)).toBeGreaterThan(2000);
  expect(scan.frames![0].depth.some((z) => z > 0)).toBe(true);
});

test('files that are no capture, and empty ones, are refused in words', () => {
  expect(() => decodeCapture(encodeFrames([]))).toThrow(/not a recorded capture/);
  expect(() => decodeCapture(encodeCapture([], {}))).toThrow(/no frame/);
  expect(() => decodeCapture(bytes.slice(0, bytes.length / 2))).toThrow();
});
