import { pagesToDraw, PointBudget } from './point-budget';

test('slow pictures lower the budget at once, quick ones raise it bit by bit', () => {
  const budget = new PointBudget(true);
  const first = budget.points(false);
  expect(budget.points(true)).toBeLessThan(first);
  // The first picture is to be there soon.
  expect(budget.points(true)).toBe(16_000);
  budget.took(1_000_000, 2500, false);
  expect(budget.points(true)).toBeGreaterThanOrEqual(120_000);
  const slow = budget.points(false);
  expect(slow).toBeLessThan(first);
  for (let k = 0; k < 40; k++) budget.took(1_000_000, 10, false);
  expect(budget.points(false)).toBeGreaterThan(10 * slow);
  for (let k = 0; k < 40; k++) budget.took(1_000_000, 1e6, false);
  expect(budget.points(true)).toBe(120_000);
});

test('what pictures cost besides their points is told apart', () => {
  const budget = new PointBudget(true);
  // Edges take 300 ms, a million points 250.
  const draw = (): void => {
    const points = budget.points(false);
    budget.took(points, 300 + points / 4000, false);
  };
  budget.took(100_000, 325, false);
  for (let k = 0; k < 20; k++) draw();
  expect(300 + budget.points(false) / 4000).toBeGreaterThan(500);
  expect(300 + budget.points(false) / 4000).toBeLessThan(700);
});

test('after a bad time it finds its way back', () => {
  const budget = new PointBudget(true);
  for (let k = 0; k < 40; k++) budget.took(1_000_000, 1e6, false);
  expect(budget.points(false)).toBe(120_000);
  // Six scans of one page each: so few that they tell nothing of points.
  for (let k = 0; k < 40 && budget.points(false) === 120_000; k++) budget.took(98_000, 200, false);
  expect(budget.points(false)).toBeGreaterThan(120_000);
});

test('however many small pictures went well, it does not grow reckless', () => {
  const budget = new PointBudget(true);
  const first = budget.points(false);
  for (let k = 0; k < 5000; k++) budget.took(10, 4, k % 2 === 0);
  expect(budget.points(false)).toBeLessThanOrEqual(first);
  expect(budget.points(true)).toBeGreaterThanOrEqual(120_000);
});

test('every scan is drawn in the same part, none is left out', () => {
  expect(pagesToDraw([100, 50, 1, 0], 1000, 75_000)).toEqual([50, 25, 1, 0]);
  expect(pagesToDraw([3, 2], 1000, 1e9)).toEqual([3, 2]);
  expect(pagesToDraw([300], 1000, 10)).toEqual([1]);
  expect(pagesToDraw([], 1000, 10)).toEqual([]);
});
