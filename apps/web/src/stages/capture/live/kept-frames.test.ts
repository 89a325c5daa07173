import type { DepthFrame } from '@amber-knit/core/geometry';
import { fromAxisAngle, fromTranslation, multiply, type Mat4 } from '@amber-knit/core/math';
import { KeptFrames } from './kept-frames';

const BEST = 400;
const at = (x: number, degrees = 0): Mat4 =>
  multiply(fromTranslation(x, 0, 0), fromAxisAngle([0, 0, 1], (degrees * Math.PI) / 180));

/** A frame of 4 × 3 depth pixels, with a picture as many times as wide. */
function frame(pose: Mat4, times = 0): DepthFrame {
  const camera = { width: 4, height: 3, fx: 5, fy: 5, cx: 1.5, cy: 1 };
  const [width, height] = [4 * times, 3 * times];
  const data = Uint8Array.from({ length: 3 * width * height }, (_, i) => i);
  const wide = { width, height, fx: 5 * times, fy: 5 * times, cx: 1.5 * times, cy: times };
  return {
    name: 'frame',
    camera,
    depth: new Float32Array(12).fill(300),
    scanFromSensor: pose,
    color: times > 0 ? { camera: wide, image: { width, height, data } } : undefined,
  };
}

const isNew = (kept: KeptFrames, f: DepthFrame, coarse = false): boolean =>
  kept.isNew(f, f.scanFromSensor, BEST, coarse);

test('a frame is new where none was kept: moved or turned enough, and not when it comes by again', () => {
  const kept = new KeptFrames();
  expect(isNew(kept, frame(at(0)))).toBe(true);
  kept.add(frame(at(0)), 0, 1);
  // Without a large picture: 3 · 5.5 % of 400 mm = 66 mm, and 3 · 0.06 rad = 10.3°.
  expect(isNew(kept, frame(at(60)))).toBe(false);
  expect(isNew(kept, frame(at(70)))).toBe(true);
  expect(isNew(kept, frame(at(0, 9)))).toBe(false);
  expect(isNew(kept, frame(at(0, 11)))).toBe(true);
  kept.add(frame(at(70)), 1, 2);
  kept.add(frame(at(140)), 2, 3);
  expect(isNew(kept, frame(at(5)))).toBe(false);
});

test('with large pictures a third of the way will do, of a room it takes twice', () => {
  const kept = new KeptFrames();
  kept.add(frame(at(0), 2), 0, 1);
  expect(isNew(kept, frame(at(20), 2))).toBe(false);
  expect(isNew(kept, frame(at(25), 2))).toBe(true);
  expect(isNew(kept, frame(at(70)), true)).toBe(false);
  expect(isNew(kept, frame(at(135)), true)).toBe(true);
});

test('taking back takes the last stretch, at least one frame, and says from where on', () => {
  const kept = new KeptFrames();
  for (let k = 0; k < 10; k++) kept.add(frame(at(100 * k)), k, 1000 + 500 * k);
  expect(kept.takeBack(2, 5600)).toEqual({ from: 6, frames: 4 });
  expect(kept.count).toBe(6);
  // Long after the last one, the stretch is still counted from it.
  expect(kept.takeBack(1, 60_000)).toEqual({ from: 4, frames: 2 });
  expect(kept.takeBack(0, 60_000)).toEqual({ from: 3, frames: 1 });
  expect(kept.takeBack(100, 60_000)).toEqual({ from: 0, frames: 3 });
  expect(kept.takeBack(2, 60_000)).toBeUndefined();
});

test('frames from before the page was opened go one at a time', () => {
  const kept = new KeptFrames();
  kept.restore([frame(at(0)), frame(at(100)), frame(at(200))], [4, 7, 8]);
  expect(kept.takeBack(60, 5000)).toEqual({ from: 8, frames: 1 });
  kept.add(frame(at(300)), 9, 6000);
  expect(kept.takeBack(60, 7000)).toEqual({ from: 9, frames: 1 });
  expect(kept.frames.map((f) => f.scanFromSensor[12])).toEqual([0, 100]);
});

test('a large picture is kept with a pixel for each depth pixel, its camera in step', () => {
  const kept = new KeptFrames();
  const whole = frame(at(0), 3);
  kept.add(whole, 0, 1);
  const { color } = kept.frames[0];
  expect(color!.camera).toEqual(whole.camera);
  expect(color!.image).toMatchObject({ width: 4, height: 3 });
  // The second pixel of the second row is the fourth of the fourth row.
  const from = 3 * (3 * 12 + 3);
  expect(Array.from(color!.image.data.subarray(3 * 5, 3 * 6))).toEqual([from, from + 1, from + 2].map((v) => v % 256));
  // What was handed in is whole still.
  expect(whole.color!.image.width).toBe(12);
});

test('nothing is kept after clearing', () => {
  const kept = new KeptFrames();
  kept.add(frame(at(0)), 0, 1);
  kept.clear();
  expect(kept.count).toBe(0);
  expect(isNew(kept, frame(at(0)))).toBe(true);
});
