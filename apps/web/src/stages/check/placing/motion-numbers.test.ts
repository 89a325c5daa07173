import { fromAxisAngle, transformPoint, type Vec3 } from '@amber-knit/core/math';
import { motionOf, numbersOf, pulledAlong, shiftedBy, turnedBy } from './motion-numbers';

const MIDDLE: Vec3 = [3, -4, 5];
const rounded = (v: readonly number[]): number[] => v.map((c) => Math.round(1e6 * c) / 1e6 + 0);

test.each([[[0, 0, 0]], [[30, 0, 0]], [[10, 20, 30]], [[-170, 80, 95]], [[0, -89, 179]]] as [Vec3][])(
  'turns of %s° come back as they were given',
  (turns) => {
    const numbers = { middle: [100, 20, -7] as Vec3, turns };
    const back = numbersOf(motionOf(numbers, MIDDLE), MIDDLE);
    expect(rounded(back.turns)).toEqual(turns);
    expect(rounded(back.middle)).toEqual(numbers.middle);
  },
);

test('a quarter turn about Y is told in one way, and means the same', () => {
  for (const y of [90, -90]) {
    const given = motionOf({ middle: [0, 0, 0], turns: [25, y, 40] }, MIDDLE);
    const told = numbersOf(given, MIDDLE);
    expect(told.turns[0]).toBe(0);
    expect(rounded(motionOf(told, MIDDLE))).toEqual(rounded(given));
  }
});

test('moving and turning keep to their axis and to the middle', () => {
  const from = Array.from(fromAxisAngle([0, 0, 1], 0.5));
  expect(rounded(numbersOf(shiftedBy(from, 1, 7), MIDDLE).middle)).toEqual(
    rounded(transformPoint(Float64Array.from(from), ...MIDDLE).map((c, k) => c + (k === 1 ? 7 : 0))),
  );
  const turned = turnedBy(from, 0, 90, MIDDLE);
  expect(rounded(transformPoint(Float64Array.from(turned), ...MIDDLE))).toEqual(
    rounded(transformPoint(Float64Array.from(from), ...MIDDLE)),
  );
  expect(rounded(turnedBy(turned, 0, -90, MIDDLE))).toEqual(rounded(from));
});

test('a pull counts along the line that is drawn, and not at all where that is a point', () => {
  expect(pulledAlong({ x: 2, y: 0 }, [10, 99])).toBe(5);
  expect(pulledAlong({ x: 0, y: -4 }, [0, 8])).toBe(-2);
  expect(pulledAlong({ x: 0, y: 0 }, [5, 5])).toBe(0);
});
