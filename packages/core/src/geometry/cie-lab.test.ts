import { cieLab, deltaE2000, deltaE76, LIGHT_OF_SRGB, quickSrgbOfLight, srgbOfLight } from './index.js';

// White and black by definition; the primaries are the usual rounded values for sRGB under D65, from memory.
test.each([
  ['white', [255, 255, 255], [100, 0, 0]],
  ['black', [0, 0, 0], [0, 0, 0]],
  ['red', [255, 0, 0], [53.24, 80.09, 67.2]],
  ['green', [0, 255, 0], [87.73, -86.18, 83.18]],
  ['blue', [0, 0, 255], [32.3, 79.19, -107.86]],
])('%s', (_name, srgb, lab) => {
  cieLab(srgb).forEach((v, k) => expect(Math.abs(v - lab[k])).toBeLessThan(0.06));
});

test('the difference of 1976 is the distance', () => {
  expect(deltaE76([255, 255, 255], [0, 0, 0])).toBeCloseTo(100, 2);
  expect(deltaE76([10, 200, 30], [10, 200, 30])).toBe(0);
  expect(deltaE76([10.5, 200.2, 30], [10, 200, 30])).toBeLessThan(0.5);
});

// The table of Sharma, Wu and Dalal (2005), written down from memory; each row agrees to the four digits given there.
test.each([
  [50, 2.6772, -79.7751, 50, 0, -82.7485, 2.0425],
  [50, 3.1571, -77.2803, 50, 0, -82.7485, 2.8615],
  [50, 2.8361, -74.02, 50, 0, -82.7485, 3.4412],
  [50, -1.3802, -84.2814, 50, 0, -82.7485, 1],
  [50, -1.1848, -84.8006, 50, 0, -82.7485, 1],
  [50, -0.9009, -85.5211, 50, 0, -82.7485, 1],
  [50, 0, 0, 50, -1, 2, 2.3669],
  [50, -1, 2, 50, 0, 0, 2.3669],
  [50, 2.49, -0.001, 50, -2.49, 0.0009, 7.1792],
  [50, 2.49, -0.001, 50, -2.49, 0.001, 7.1792],
  [50, 2.49, -0.001, 50, -2.49, 0.0011, 7.2195],
  [50, 2.49, -0.001, 50, -2.49, 0.0012, 7.2195],
  [50, -0.001, 2.49, 50, 0.0009, -2.49, 4.8045],
  [50, -0.001, 2.49, 50, 0.001, -2.49, 4.8045],
  [50, -0.001, 2.49, 50, 0.0011, -2.49, 4.7461],
  [50, 2.5, 0, 50, 0, -2.5, 4.3065],
  [50, 2.5, 0, 73, 25, -18, 27.1492],
  [50, 2.5, 0, 61, -5, 29, 22.8977],
  [50, 2.5, 0, 56, -27, -3, 31.903],
  [50, 2.5, 0, 58, 24, 15, 19.4535],
  [50, 2.5, 0, 50, 3.1736, 0.5854, 1],
  [50, 2.5, 0, 50, 3.2972, 0, 1],
  [50, 2.5, 0, 50, 1.8634, 0.5757, 1],
  [50, 2.5, 0, 50, 3.2592, 0.335, 1],
  [60.2574, -34.0099, 36.2677, 60.4626, -34.1751, 39.4387, 1.2644],
  [63.0109, -31.0961, -5.8663, 62.8187, -29.7946, -4.0864, 1.263],
  [61.2901, 3.7196, -5.3901, 61.4292, 2.248, -4.962, 1.8731],
  [35.0831, -44.1164, 3.7933, 35.0232, -40.0716, 1.5901, 1.8645],
  [22.7233, 20.0904, -46.694, 23.0331, 14.973, -42.5619, 2.0373],
  [36.4612, 47.858, 18.3852, 36.2715, 50.5065, 21.2231, 1.4146],
  [90.8027, -2.0831, 1.441, 91.1528, -1.6435, 0.0447, 1.4441],
  [90.9257, -0.5406, -0.9208, 88.6381, -0.8985, -0.7239, 1.5381],
  [6.7747, -0.2908, -2.4247, 5.8714, -0.0985, -2.2286, 0.6377],
  [2.0776, 0.0795, -1.135, 0.9033, -0.0636, -0.5514, 0.9082],
])('CIEDE2000 of %p %p %p and %p %p %p is %p', (l1, a1, b1, l2, a2, b2, difference) => {
  expect(deltaE2000([l1, a1, b1], [l2, a2, b2])).toBeCloseTo(difference, 4);
  expect(deltaE2000([l2, a2, b2], [l1, a1, b1])).toBeCloseTo(difference, 4);
});

test('light of sRGB values leads back to them', () => {
  LIGHT_OF_SRGB.forEach((light, value) => {
    expect(srgbOfLight(light)).toBeCloseTo(value, 4);
    expect(Math.abs(quickSrgbOfLight(light) - value)).toBeLessThan(0.02);
  });
  // IEC 61966-2-1 gives middle grey: half of the signal is 21.4 % of the light.
  expect(LIGHT_OF_SRGB[128]).toBeCloseTo(0.2159, 4);
  for (const f of [srgbOfLight, quickSrgbOfLight]) {
    expect(f(-1)).toBe(0);
    expect(f(2)).toBeCloseTo(255, 9);
    expect(f(NaN)).toBe(0);
  }
});
