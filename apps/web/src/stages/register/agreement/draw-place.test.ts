import { fromTranslation, turnAbout } from '@amber-knit/core/math';
import { drawPlace, movedBy } from './draw-place';

/** A square of points, 20 mm wide, 1 mm apart. */
const square = (color: number[]): { positions: Float32Array; colors: Uint8Array } => {
  const positions: number[] = [];
  for (let x = -10; x <= 10; x++) for (let y = -10; y <= 10; y++) positions.push(x, y, 0);
  const colors = Uint8Array.from({ length: positions.length }, (_, i) => color[i % 3]);
  return { positions: Float32Array.from(positions), colors };
};
const turn = turnAbout({ point: [0, 0, 0], direction: [0, 0, 1] }, 1);

test('the scans in doubt show in their own colour, nearer ones before farther ones', () => {
  const red = square([200, 20, 20]);
  const below = { sample: square([20, 20, 200]), pieceFromScan: fromTranslation(0, 0, -30), moving: false };
  const image = drawPlace(
    [below, { sample: red, pieceFromScan: fromTranslation(0, 0, 0), moving: true }],
    turn,
    40,
    30,
  );
  const middle = 4 * (15 * 40 + 20);
  expect(Array.from(image.subarray(middle, middle + 4))).toEqual([200, 20, 20, 255]);
});

test('what only stands by is pale, and empty places stay clear', () => {
  const image = drawPlace(
    [{ sample: square([0, 0, 0]), pieceFromScan: fromTranslation(0, 0, 0), moving: false }],
    turn,
    60,
    30,
  );
  const middle = 4 * (15 * 60 + 30);
  expect(image[middle]).toBeGreaterThan(150);
  expect(image[3]).toBe(0);
});

test('a tried place moves the scan within the piece', () => {
  const m = movedBy(Array.from(fromTranslation(1, 2, 3)), Array.from(fromTranslation(10, 0, 0)));
  expect([m[12], m[13], m[14]]).toEqual([11, 2, 3]);
});
