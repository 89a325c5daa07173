import { MEASURE_IDLE, nextMeasureState, pickedPoints } from './measure-tool';
import type { Pick } from './view-content';

const at = (...point: [number, number, number]): Pick => ({ point, snapped: true });

test('two picks give a distance, a third starts anew', () => {
  const one = nextMeasureState(MEASURE_IDLE, at(1, 2, 3));
  expect(one.name).toBe('started');
  const two = nextMeasureState(one, at(1, 5, 7));
  // A right triangle with legs 3 and 4.
  expect(two).toMatchObject({ name: 'measured', distance: 5 });
  expect(pickedPoints(two)).toEqual([
    [1, 2, 3],
    [1, 5, 7],
  ]);
  const three = nextMeasureState(two, at(0, 0, 0));
  expect(three.name).toBe('started');
  expect(pickedPoints(three)).toEqual([[0, 0, 0]]);
});

test('Escape goes back to nothing from anywhere', () => {
  const one = nextMeasureState(MEASURE_IDLE, at(1, 2, 3));
  expect(nextMeasureState(one, undefined)).toBe(MEASURE_IDLE);
  expect(pickedPoints(MEASURE_IDLE)).toEqual([]);
});
