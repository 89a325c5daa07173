import type { DepthFrame, Scan } from '../geometry/index.js';
import { fromTranslation, identity } from '../math/index.js';
import { createRunContext } from '../runtime/index.js';
import { gatherPoints, INCIDENCES, incidenceClass } from './index.js';

const ctx = createRunContext();
const camera = { width: 40, height: 40, fx: 40, fy: 40, cx: 19.5, cy: 19.5 };
/** A wall at z = 100, seen squarely. */
const wall = (name: string, x: number): DepthFrame => ({
  name,
  camera,
  depth: new Float32Array(1600).fill(100),
  scanFromSensor: fromTranslation(x, 0, 0),
});
const placed = (scan: Scan) => ({
  scan,
  placement: { name: scan.name, state: 'registered' as const, pieceFromScan: fromTranslation(0, 0, -100) },
});

test('pixels of frames come as their frames saw them, in the frame of the piece', () => {
  const frames = [wall('left', -30), wall('right', 30)];
  const positions = Float32Array.from({ length: 3 * 6400 }, (_, i) =>
    i % 3 === 0 ? 2 * ((i / 3) % 80) - 80 : i % 3 === 1 ? 2 * Math.floor(i / 3 / 80) - 80 : 100,
  );
  const points = gatherPoints([placed({ name: 'a', cloud: { positions }, frames })], ctx);
  // The border of a picture has no neighbours to tell its incidence from.
  expect(points.count).toBe(2 * 38 * 38);
  for (let i = 0; i < points.count; i++) {
    const [x, y, z] = points.positions.subarray(3 * i, 3 * i + 3);
    expect(z).toBeCloseTo(0, 4);
    const [tx, ty, tz] = points.towardsSensor.subarray(3 * i, 3 * i + 3);
    // From the point towards its sensor at (±30, 0, −100).
    const eye = [x + (tx / tz) * -100, y + (ty / tz) * -100];
    expect(Math.abs(eye[0])).toBeCloseTo(30, 2);
    expect(eye[1]).toBeCloseTo(0, 2);
  }
});

test('what cleaning took from the cloud stays away though the frames still show it', () => {
  const positions = Float32Array.from({ length: 3 * 3200 }, (_, i) =>
    i % 3 === 0 ? 2 * ((i / 3) % 40) - 80 : i % 3 === 1 ? 2 * Math.floor(i / 3 / 40) - 80 : 100,
  );
  const { positions: p, count } = gatherPoints(
    [placed({ name: 'a', cloud: { positions }, frames: [wall('f', 0)] })],
    ctx,
  );
  expect(count).toBeGreaterThan(300);
  for (let i = 0; i < count; i++) expect(p[3 * i]).toBeLessThan(4);
});

test('without a sensor place the normal stands for the way to it', () => {
  const positions = Float32Array.from({ length: 3 * 400 }, (_, i) =>
    i % 3 === 2 ? 0 : i % 3 === 0 ? (i / 3) % 20 : Math.floor(i / 60),
  );
  const normals = Float32Array.from({ length: 3 * 400 }, (_, i) => (i % 3 === 2 ? -1 : 0));
  const scan: Scan = { name: 'a', cloud: { positions, normals } };
  const placement = { name: 'a', state: 'registered' as const, pieceFromScan: identity() };
  const { towardsSensor } = gatherPoints([{ scan, placement }], ctx);
  expect(towardsSensor.filter((_, i) => i % 3 === 2).every((v) => v === -1)).toBe(true);
});

test('classes of incidence cover every cosine', () => {
  expect([0, 0.124, 0.126, 0.999, 1].map(incidenceClass)).toEqual([0, 0, 1, INCIDENCES - 1, INCIDENCES - 1]);
});
