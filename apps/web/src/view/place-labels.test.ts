import { LABEL_HEIGHT, placeLabels, type Hanging } from './place-labels';

const apart = (a: { x: number; y: number }, b: { x: number; y: number }, width: number): boolean =>
  Math.abs(a.x - b.x) >= width || Math.abs(a.y - b.y) >= LABEL_HEIGHT;

test('labels of one place stand clear of each other, the first beside it', () => {
  const labels: Hanging[] = Array.from({ length: 12 }, () => ({ x: 400, y: 300, width: 120 }));
  const placed = placeLabels(labels, 800, 600);
  expect(placed[0]).toEqual({ x: 414, y: 288 });
  placed.forEach((a, i) => placed.slice(0, i).forEach((b) => expect(apart(a, b, 120)).toBe(true)));
});

test('labels stay within the picture, wherever their places are', () => {
  const labels: Hanging[] = [
    { x: 5000, y: -300, width: 120 },
    { x: -50, y: 900, width: 120 },
    { x: 795, y: 595, width: 120 },
  ];
  for (const { x, y } of placeLabels(labels, 800, 600)) {
    expect(x >= 0 && x + 120 <= 800).toBe(true);
    expect(y >= 0 && y + LABEL_HEIGHT <= 600).toBe(true);
  }
});

test('in a picture too small for all, each still has a place', () => {
  const labels: Hanging[] = Array.from({ length: 9 }, () => ({ x: 10, y: 10, width: 90 }));
  expect(placeLabels(labels, 100, 60)).toHaveLength(9);
});
