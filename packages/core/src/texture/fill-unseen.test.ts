import { LIGHT_OF_SRGB } from '../geometry/index.js';
import { fillUnseen } from './fill-unseen.js';

/** A strip of squares, two vertices at each of `n` places along it. */
function strip(n: number) {
  const positions = new Float32Array(6 * n);
  const indices: number[] = [];
  for (let i = 0; i < n; i++) {
    positions.set([i, 0, 0, i, 1, 0], 6 * i);
    if (i > 0) indices.push(2 * i - 2, 2 * i, 2 * i - 1, 2 * i, 2 * i + 1, 2 * i - 1);
  }
  return { positions, indices: Uint32Array.from(indices) };
}

/** Paint known at both ends of a strip: 0.1 and 0.4. */
function ends(n: number): Float32Array {
  const paint = new Float32Array(6 * n).fill(NaN);
  paint.fill(0.1, 0, 6);
  paint.fill(0.4, 6 * n - 6);
  return paint;
}

test('between what is known, colour goes over evenly: the membrane of a strip is a straight line of logarithms', () => {
  const n = 9;
  const out = fillUnseen(strip(n), ends(n));
  expect(Array.from(out.subarray(0, 6))).toEqual(Array.from(ends(n).subarray(0, 6)));
  for (let i = 0; i < n; i++) {
    const wanted = Math.log(0.1) + (Math.log(4) * i) / (n - 1);
    // The diagonals make it lean a little.
    expect(Math.abs(Math.log(out[6 * i]) - wanted)).toBeLessThan(0.06);
  }
});

test('what scans measured at points shows through, in what surrounds it of light', () => {
  const n = 7;
  const mesh = strip(n);
  const colors = new Uint8Array(6 * n).fill(100);
  colors.fill(200, 18, 24);
  const paint = new Float32Array(6 * n).fill(NaN);
  // Views show everything twice as bright as the points.
  for (const at of [0, 6 * n - 6]) paint.fill(2 * LIGHT_OF_SRGB[100], at, at + 6);
  const out = fillUnseen({ ...mesh, colors }, paint);
  expect(out[18]).toBeCloseTo(2 * LIGHT_OF_SRGB[200], 4);
  const invented = new Uint8Array(2 * n).fill(1, 6, 8);
  expect(fillUnseen({ ...mesh, colors, invented }, paint)[18]).not.toBeCloseTo(2 * LIGHT_OF_SRGB[200], 2);
});

test('a piece that no view sees keeps the colours of its points, or a plain one', () => {
  const mesh = strip(3);
  const none = new Float32Array(18).fill(NaN);
  expect(fillUnseen({ ...mesh, colors: new Uint8Array(18).fill(90) }, none)[3]).toBeCloseTo(LIGHT_OF_SRGB[90], 5);
  expect(fillUnseen(mesh, none).every((c) => c > 0 && c < 1)).toBe(true);
});

test('a border that shows something else does not colour what no view sees', () => {
  // A long strip seen but for its last tenth; at its border views mixed in something ten times as bright.
  const n = 500;
  const paint = new Float32Array(6 * n).fill(0.2);
  paint.fill(NaN, 6 * 450);
  paint.fill(2, 6 * 448, 6 * 450);
  const out = fillUnseen(strip(n), paint);
  for (let i = 450; i < n; i++) expect(out[6 * i]).toBeLessThan(0.3);
  // Far from the border nothing changes.
  expect(Array.from(out.subarray(0, 6 * 440))).toEqual(Array.from(paint.subarray(0, 6 * 440)));
});

test('what nobody measured continues the colours of the points beside it, and is no brighter than they', () => {
  // Points as bright as the views say, dark; then a stretch that somebody invented.
  const n = 40;
  const mesh = strip(n);
  const colors = new Uint8Array(6 * n).fill(90);
  colors.fill(0, 3 * 40);
  const invented = new Uint8Array(2 * n).fill(1, 40);
  const paint = new Float32Array(6 * n).fill(NaN);
  paint.fill(LIGHT_OF_SRGB[90], 0, 60);
  const out = fillUnseen({ ...mesh, colors, invented }, paint);
  for (const light of out) expect(light).toBeCloseTo(LIGHT_OF_SRGB[90], 3);
});
