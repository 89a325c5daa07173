import { fromTranslation, identity } from '../math/index.js';
import { sightLines, type Placement, type Scan, type SightLines, type TriangleMesh } from '../geometry/index.js';
import { listHoles, seenThrough } from './index.js';

/** A level plate of 40 mm with a square hole of 10 mm, in closed form. */
function plateWithHole(): TriangleMesh {
  const positions = new Float32Array(3 * 41 * 41);
  for (let i = 0; i < 41 * 41; i++) positions.set([(i % 41) - 20, Math.floor(i / 41) - 20, 0], 3 * i);
  const indices: number[] = [];
  for (let y = 0; y < 40; y++)
    for (let x = 0; x < 40; x++) {
      if (x >= 15 && x < 25 && y >= 15 && y < 25) continue;
      const a = 41 * y + x;
      indices.push(a, a + 1, a + 42, a, a + 42, a + 41);
    }
  return { positions, indices: Uint32Array.from(indices) };
}

/** From one place above to a level square of 60 mm at a height, every half millimetre. */
function linesTo(z: number, keep: (x: number, y: number) => boolean = () => true): SightLines {
  const positions: number[] = [];
  for (let x = -30; x <= 30; x += 0.5) for (let y = -30; y <= 30; y += 0.5) if (keep(x, y)) positions.push(x, y, z);
  const scan: Scan = { name: 'a', cloud: { positions: Float32Array.from(positions) }, viewpoints: [[0, 0, 200]] };
  const placement: Placement = { name: 'a', state: 'registered', pieceFromScan: identity() };
  return sightLines([{ scan, placement }], 1_000_000);
}

const mesh = plateWithHole();
// The plate's own outer rim is the longest.
const [, hole] = listHoles(mesh);

test('through an opening a scan sees what lies behind', () => {
  expect(seenThrough(mesh, [hole], linesTo(-50))[0]).toBeGreaterThan(0.8);
});

test('what no scan saw lets no sight line through', () => {
  const seen = linesTo(0, (x, y) => Math.abs(x) > 5 || Math.abs(y) > 5);
  expect(seenThrough(mesh, [hole], seen)[0]).toBe(0);
});

test('a bottom just below the rim is no way through', () => {
  expect(seenThrough(mesh, [hole], linesTo(-1))[0]).toBe(0);
});

test('sight lines follow a scan to its place, and are thinned evenly', () => {
  const scan: Scan = {
    name: 'a',
    cloud: { positions: Float32Array.from({ length: 300 }, (_, i) => i) },
    viewpoints: [[0, 0, 10]],
    backdrop: Float32Array.of(1, 2, 3),
  };
  const placement: Placement = { name: 'a', state: 'placed', pieceFromScan: fromTranslation(100, 0, 0) };
  const lines = sightLines([{ scan, placement }], 50);
  expect(lines.count).toBe(51);
  expect(Array.from(lines.from.slice(0, 3))).toEqual([100, 0, 10]);
  expect(Array.from(lines.to.slice(0, 3))).toEqual([100, 1, 2]);
  expect(Array.from(lines.to.slice(-3))).toEqual([101, 2, 3]);
});

test('a depth image gives a line for each pixel that saw something', () => {
  const camera = { width: 4, height: 4, fx: 4, fy: 4, cx: 1.5, cy: 1.5 };
  const depth = new Float32Array(16).fill(100);
  depth[0] = 0;
  const scan: Scan = {
    name: 'a',
    cloud: { positions: new Float32Array(3) },
    frames: [{ name: 'f', camera, depth, scanFromSensor: fromTranslation(0, 0, 7) }],
  };
  const placement: Placement = { name: 'a', state: 'registered', pieceFromScan: identity() };
  const lines = sightLines([{ scan, placement }], 1000);
  expect(lines.count).toBe(15);
  expect(lines.to[2]).toBe(107);
  expect(Array.from(lines.from.slice(0, 3))).toEqual([0, 0, 7]);
});
