import { rotationAngle, transformPoint, type Vec3 } from '@amber-knit/core/math';
import type { ViewAxes } from '../../../view/view-content';
import { dragMotion, keyDrag } from './drag-motion';

// Looking along +Y with Z up, as from the front.
const axes: ViewAxes = { right: [1, 0, 0], up: [0, 0, 1], toEye: [0, -1, 0], mmPerPixel: 0.5 };
const middle: Vec3 = [10, 20, 30];

test('a scan follows the pointer in the picture', () => {
  expect(transformPoint(dragMotion('move', 8, 4, axes, middle), 0, 0, 0)).toEqual([4, 0, -2]);
});

test('turning keeps the middle where it is, and turns as the pointer would push the near side', () => {
  for (const grip of ['turn', 'roll'] as const) {
    const m = dragMotion(grip, 25, 0, axes, middle);
    transformPoint(m, ...middle).forEach((v, k) => expect(v).toBeCloseTo(middle[k], 9));
    expect(rotationAngle(m)).toBeCloseTo(0.2, 9);
  }
  // The near side (towards the eye, -Y) goes to the right, down goes down; what is on top rolls to the right.
  const near: Vec3 = [10, 0, 30];
  expect(transformPoint(dragMotion('turn', 10, 0, axes, middle), ...near)[0]).toBeGreaterThan(10);
  expect(transformPoint(dragMotion('turn', 0, 10, axes, middle), ...near)[2]).toBeLessThan(30);
  expect(transformPoint(dragMotion('roll', 10, 0, axes, middle), 10, 20, 50)[0]).toBeGreaterThan(10);
});

test('arrows drag, other keys do not', () => {
  expect(keyDrag('ArrowUp')).toEqual([0, -6]);
  expect(keyDrag('f')).toBeUndefined();
});
