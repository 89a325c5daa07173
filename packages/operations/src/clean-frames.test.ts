import type { DepthFrame, PointCloud, Scan } from '@amber-knit/core/geometry';
import { identity } from '@amber-knit/core/math';
import { createRunContext } from '@amber-knit/core/runtime';
import { cleanFrames, CleanFramesParams } from './clean-frames.js';

const camera = { width: 40, height: 30, fx: 40, fy: 40, cx: 19.5, cy: 14.5 };
/** A frame that faces a wall at a distance, in its left or right half only. */
const frame = (name: string, z: number, left: boolean): DepthFrame => ({
  name,
  camera,
  depth: Float32Array.from({ length: 1200 }, (_, i) => (i % 40 < 20 === left ? z : 0)),
  scanFromSensor: identity(),
});
const frames = [frame('a', 300, true), frame('b', 300, false), frame('ghost', 340, true)];
/** The points of each frame, 600 each. */
const points = frames.flatMap(({ depth }) =>
  Array.from(depth).flatMap((z, i) =>
    z > 0 ? [((i % 40) - 19.5) * (z / 40), (Math.floor(i / 40) - 14.5) * (z / 40), z] : [],
  ),
);
const whole: PointCloud = { positions: Float32Array.from(points) };
const rows = (from: number, to: number) => Uint32Array.from({ length: to - from }, (_, i) => from + i);
/** The scan with so many of its points left, from the first on. */
function scanOf(left: number): Scan {
  const cloud = { positions: whole.positions.slice(0, 3 * left), rows: rows(0, left) };
  return { name: 'jug', cloud, whole, storedAs: 'x', frames };
}
const choose = async (scan: Scan, dropped: string[]): Promise<Scan> => {
  const params = { ...new CleanFramesParams(), scan: 'jug', dropped };
  const { outputs } = await cleanFrames.run({ scans: [scan] }, params, createRunContext());
  return outputs.scans[0];
};

test('points that only dropped frames saw go, and come back with them', async () => {
  const without = await choose(scanOf(1800), ['ghost']);
  expect(Array.from(without.cloud.rows!)).toEqual(Array.from(rows(0, 1200)));
  expect(without.frames!.map((f) => f.name)).toEqual(['a', 'b']);
  expect(without.droppedFrames!.map((f) => f.name)).toEqual(['ghost']);
  const back = await choose(without, []);
  expect(Array.from(back.cloud.rows!)).toEqual(Array.from(rows(0, 1800)));
  expect(back.droppedFrames).toEqual([]);
});

test('what was cut away by hand stays away when frames come back', async () => {
  // The ghost and the right half are cut by hand; the left half is dropped with its frame, then taken in again.
  const left = await choose(scanOf(600), ['ghost']);
  expect(left.cloud.rows).toHaveLength(600);
  const none = await choose(left, ['a', 'ghost']);
  // What lies right beside the other half is within a pixel of what its frame saw.
  expect(none.cloud.rows).toHaveLength(30);
  expect(none.cloud.rows!.every((row) => row % 20 === 19)).toBe(true);
  const again = await choose(none, ['ghost']);
  expect(Array.from(again.cloud.rows!)).toEqual(Array.from(rows(0, 600)));
});

test('unknown frames, and all of them, are refused', async () => {
  await expect(choose(scanOf(1800), ['c'])).rejects.toThrow(/has no frame "c"\. It has 3 frames/);
  await expect(choose(scanOf(1800), ['a', 'b', 'ghost'])).rejects.toThrow(/At least one frame/);
});
