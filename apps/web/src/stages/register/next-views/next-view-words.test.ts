import { ghostScanner } from './ghost-scanner';
import { foundWords, gainWords, setupWords, sideWords } from './next-view-words';

const target: [number, number, number] = [10, 20, 30];
const from = (x: number, y: number, z: number): string => sideWords({ target, eye: [10 + x, 20 + y, 30 + z] });

test('sides are named as the views are: the front is towards −Y', () => {
  expect(from(0, -300, 0)).toBe('From the front, level');
  expect(from(300, 0, 0)).toBe('From the right, level');
  expect(from(-200, 200, 200)).toBe('From the back left, 35° above');
  expect(from(0, 100, -100)).toBe('From the back, 45° below');
  expect(from(5, 5, 300)).toBe('Straight from above');
  expect(from(5, 5, -300)).toBe('Straight from below');
});

test('how it is reached, and how much it shows', () => {
  expect(setupWords({ setup: 'Upright' })).toBe('as it lay in Upright');
  expect(setupWords({})).toBe('lay it down anew, this side up');
  expect(gainWords({ gain: 1234, thinGain: 0 })).toBe('12.3 cm²');
  expect(gainWords({ gain: 0, thinGain: 56.4 })).toBe('56 mm² thin');
  expect(gainWords({ gain: 300, thinGain: 120 })).toBe('3.0 cm², 1.2 cm² thin');
  expect(foundWords({ unseen: 1234, thin: 0 })).toBe('About 12.3 cm² are unseen, and can be reached.');
  expect(foundWords({ unseen: 1234, thin: 50 })).toBe(
    'About 12.3 cm² are unseen and 50 mm² measured with less than a quarter of the usual points, and can be reached.',
  );
});

test('the scanner is drawn at its place, its frame towards what it looks at', () => {
  const points = ghostScanner([0, -300, 0], [0, 0, 0]);
  const ys = Array.from(points).filter((_, i) => i % 3 === 1);
  expect(Math.min(...ys)).toBeCloseTo(-310, 0);
  expect(Math.max(...ys)).toBeCloseTo(-210, 0);
});
