import type { CropBox } from '../app/select-slice';
import { draggedSide, EDGES, FACES, sideMoved } from './crop-box';

const box: CropBox = { min: [0, 0, 0], max: [100, 50, 20] };
const face = (name: string) => FACES.find((f) => f.name === name)!;

test('a box has twelve edges along its axes and six sides', () => {
  expect(EDGES).toHaveLength(12);
  expect(FACES.map((f) => f.middleOf(box))).toEqual([
    [0, 25, 10],
    [100, 25, 10],
    [50, 0, 10],
    [50, 50, 10],
    [50, 25, 0],
    [50, 25, 20],
  ]);
});

test('a side stops before the opposite one', () => {
  expect(sideMoved(box, face('Box, x from'), 30).min).toEqual([30, 0, 0]);
  expect(sideMoved(box, face('Box, x from'), 300).min[0]).toBeCloseTo(99.9);
  expect(sideMoved(box, face('Box, z to'), -5).max[2]).toBeCloseTo(0.1);
  expect(box.min).toEqual([0, 0, 0]);
});

test('a drag counts along the picture of the axis', () => {
  // Seen from the front, 2 pixels a millimetre, z upwards; y points away from the eye.
  const front = ([x, , z]: [number, number, number]) => ({ x: 2 * x, y: -2 * z });
  expect(draggedSide(box, face('Box, x to'), [-40, 0], front)).toBeCloseTo(80);
  expect(draggedSide(box, face('Box, x to'), [-40, 25], front)).toBeCloseTo(80);
  expect(draggedSide(box, face('Box, z to'), [3, -10], front)).toBeCloseTo(25);
  expect(draggedSide(box, face('Box, y to'), [30, 30], front)).toBe(50);
});
