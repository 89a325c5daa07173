import { boundsOf, pointCount, wereRefined, type DepthFrame, type Scan } from '@amber-knit/core/geometry';
import { createRandom, fromTwist, gaussian, invertRigid, lookAt, multiply } from '@amber-knit/core/math';
import { rasterizeDepth } from '@amber-knit/core/mesh';
import { joinFrames } from '@amber-knit/core/pointcloud';
import { createRunContext } from '@amber-knit/core/runtime';
import { lumps, meshOf } from '../../core/test/shapes.js';
import { findOperation, runOperation } from './index.js';

const camera = { width: 160, height: 120, fx: 240, fy: 240, cx: 79.5, cy: 59.5 };
const CELL = 1;
const ball = meshOf(lumps, 42, 2);

/** A lumpy ball from all around, every view off by a fifth of a millimetre and a ninth of a degree times `by`, as a tracker is. */
function tracked(views: number, by = 1): DepthFrame[] {
  const random = createRandom(4);
  const off = (size: number): number => by * size * gaussian(random);
  return Array.from({ length: views }, (_, k) => {
    const a = (2 * Math.PI * k) / views;
    const pose = lookAt([200 * Math.cos(a), 200 * Math.sin(a), 60], [0, 0, 0], [0, 0, 1]);
    const { depth } = rasterizeDepth(ball, invertRigid(pose), camera);
    const wrong = fromTwist(off(0.002), off(0.002), off(0.002), off(0.2), off(0.2), off(0.2));
    return { name: `f${k}`, camera, depth, scanFromSensor: k === 0 ? pose : multiply(wrong, pose) };
  });
}

/** Root mean square distance from the ball, mm. */
function offBall({ cloud: { positions: p } }: Scan): number {
  let sum = 0;
  for (let i = 0; i < p.length; i += 3) sum += lumps(p[i], p[i + 1], p[i + 2]) ** 2;
  return Math.sqrt((3 * sum) / p.length);
}

const scanOf = (frames: DepthFrame[]): Scan => ({ name: 'ball', cloud: joinFrames(frames, CELL), frames });
const refine = async (scans: Scan[], params: object = {}) => {
  const { outputs, figures } = await runOperation(findOperation('clean.refine'), { scans }, params, createRunContext());
  return { scans: outputs.scans!, figures };
};

test('frames that a tracker put a little wrong agree, and the points are made anew', async () => {
  const before = scanOf(tracked(16));
  const { scans, figures } = await refine([before]);
  expect(offBall(scans[0])).toBeLessThan(0.6 * offBall(before));
  expect(figures).toMatchObject({ scans: 1, frames: 16, misfits: 0, points: pointCount(scans[0].cloud) });
  expect(Number(figures.refinedBy)).toBeGreaterThan(0.2);
  // The spacing stays: about as many points as before.
  expect(pointCount(scans[0].cloud) / pointCount(before.cloud)).toBeGreaterThan(0.8);
  expect(pointCount(scans[0].cloud) / pointCount(before.cloud)).toBeLessThan(1.2);
});

test('frames that stand where they should stay there, to the last digit', async () => {
  const exact = scanOf(tracked(16, 0));
  const { scans, figures } = await refine([exact]);
  expect(scans[0].cloud).toBe(exact.cloud);
  expect(scans[0].frames!.map((f) => f.scanFromSensor)).toEqual(exact.frames!.map((f) => f.scanFromSensor));
  expect(figures.scans).toBe(0);
  // That they agree is known from then on.
  expect(wereRefined(scans[0].frames!)).toBe(true);
});

test('what was cut away stays away', async () => {
  const whole = scanOf(tracked(16));
  const upper: number[] = [];
  const p = whole.cloud.positions;
  for (let i = 0; i < p.length; i += 3) if (p[i + 2] > 10) upper.push(p[i], p[i + 1], p[i + 2]);
  const { scans } = await refine([{ ...whole, cloud: { positions: Float32Array.from(upper) } }]);
  expect(boundsOf(scans[0].cloud.positions).min[2]).toBeGreaterThan(7);
  expect(boundsOf(scans[0].cloud.positions).max[2]).toBeCloseTo(boundsOf(whole.cloud.positions).max[2], 0);
});

test('scans without frames stay as they are; without any that has some it says so', async () => {
  const cloud: Scan = { name: 'cloud', cloud: { positions: Float32Array.of(0, 0, 0, 1, 0, 0) } };
  const { scans } = await refine([cloud, scanOf(tracked(4))]);
  expect(scans[0]).toBe(cloud);
  await expect(refine([cloud])).rejects.toThrow(/None of these scans has 3 frames or more/);
  await expect(refine([cloud], { only: ['other'] })).rejects.toThrow(/no scan "other"/);
});
