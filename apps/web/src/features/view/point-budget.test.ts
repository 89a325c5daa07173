import { pagesToDraw, PointBudget } from './point-budget';

test('slow pictures lower the budget at once, quick ones raise it bit by bit, small ones say nothing', () => {
  const budget = new PointBudget(true);
  const first = budget.points(false);
  expect(budget.points(true)).toBeLessThan(first);
  budget.took(1_000_000, 2500);
  const slow = budget.points(false);
  expect(slow).toBeLessThan(first);
  budget.took(20, 500);
  expect(budget.points(false)).toBe(slow);
  for (let k = 0; k < 40; k++) budget.took(1_000_000, 10);
  expect(budget.points(false)).toBeGreaterThan(10 * slow);
  for (let k = 0; k < 40; k++) budget.took(1_000_000, 1e6);
  expect(budget.points(true)).toBe(120_000);
});

test('every scan is drawn in the same part, none is left out', () => {
  expect(pagesToDraw([100, 50, 1, 0], 1000, 75_000)).toEqual([50, 25, 1, 0]);
  expect(pagesToDraw([3, 2], 1000, 1e9)).toEqual([3, 2]);
  expect(pagesToDraw([300], 1000, 10)).toEqual([1]);
  expect(pagesToDraw([], 1000, 10)).toEqual([]);
});
