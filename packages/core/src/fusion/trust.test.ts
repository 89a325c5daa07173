import type { Placement, Scan } from '../geometry/index.js';
import { createRandom, gaussian, identity } from '../math/index.js';
import { createRunContext } from '../runtime/index.js';
import { fuseScans, insideRegion, type TrustRegion } from './index.js';

const ctx = createRunContext();
const NOISE = 0.05;

/** A level square of 60 mm seen from above, every 0.5 mm. */
function sheet(name: string, z: number, seed: number): Scan {
  const random = createRandom(seed);
  const positions = new Float32Array(3 * 120 * 120);
  for (let i = 0; i < 120 * 120; i++)
    positions.set(
      [
        0.5 * ((i % 120) + 0.6 * random()) - 30,
        0.5 * (Math.floor(i / 120) + 0.6 * random()) - 30,
        z + NOISE * gaussian(random),
      ],
      3 * i,
    );
  return { name, cloud: { positions }, viewpoints: [[0, 0, 300]] };
}

// Two that saw the plate where it is, one that stands 0.6 mm above them.
const scans = [sheet('a', 0, 1), sheet('b', 0, 2), sheet('high', 0.6, 3)];
const placements: Placement[] = scans.map((s) => ({ name: s.name, state: 'registered', pieceFromScan: identity() }));
const region = (change: Partial<TrustRegion>): TrustRegion => ({
  name: 'left',
  how: 'only',
  scans: ['high'],
  balls: [[-30, 0, 0, 25]],
  width: 10,
  ...change,
});

/** Heights of the surface along the middle line, by x. */
async function profile(trust: TrustRegion[], of: Scan[] = scans): Promise<(x: number) => number> {
  const { positions: p } = await fuseScans(of, placements, { voxel: 0.7, trust }, ctx);
  return (x) => {
    let sum = 0;
    let n = 0;
    for (let i = 0; i < p.length; i += 3)
      if (Math.abs(p[i] - x) < 1 && Math.abs(p[i + 1]) < 4) {
        sum += p[i + 2];
        n++;
      }
    return sum / n;
  };
}

test('only: within the place the scan named is all that counts, far from it all is as it was', async () => {
  const height = await profile([region({})]);
  const plain = await profile([]);
  expect(height(-20)).toBeCloseTo(0.6, 1);
  expect(Math.abs(height(-20) - 0.6)).toBeLessThan(0.02);
  expect(Math.abs(height(20) - plain(20))).toBeLessThan(0.02);
});

test('not: the scan named counts nothing there', async () => {
  const height = await profile([region({ how: 'not', scans: ['a', 'b'] })]);
  expect(Math.abs(height(-20) - 0.6)).toBeLessThan(0.02);
  const other = await profile([region({ how: 'not' })]);
  expect(Math.abs(other(-20))).toBeLessThan(0.02);
});

test('rather: what else was seen still counts where the scan named saw nothing', async () => {
  const half = sheet('high', 0.6, 3);
  const positions = half.cloud.positions.filter((_, i, all) => all[3 * Math.floor(i / 3) + 1] > 10);
  const height = await profile([region({ how: 'rather' })], [scans[0], scans[1], { ...half, cloud: { positions } }]);
  expect(Math.abs(height(-20))).toBeLessThan(0.02);
});

test('between scans that agree within their noise no step is left at the border', async () => {
  const near = [sheet('a', 0, 1), sheet('high', 0.04, 2)];
  const height = await profile([region({})], near);
  let steepest = 0;
  for (let x = -25; x < 20; x++) steepest = Math.max(steepest, Math.abs(height(x + 1) - height(x)));
  // A third of the noise, over a millimetre.
  expect(steepest).toBeLessThan(0.3 * NOISE);
});

test('where no scan counts anywhere it says what to do', async () => {
  const everywhere = region({ how: 'not', scans: ['a', 'b', 'high'], balls: [[0, 0, 0, 500]] });
  await expect(profile([everywhere])).rejects.toThrow(/Take out a place/);
});

test('a place is whole inside, runs out over its width and is gone beyond', () => {
  const r = region({
    balls: [
      [0, 0, 0, 10],
      [30, 0, 0, 5],
    ],
  });
  expect(insideRegion(r, 9, 0, 0)).toBe(1);
  expect(insideRegion(r, 0, 15, 0)).toBeCloseTo(0.5, 9);
  expect(insideRegion(r, 0, 20.1, 0)).toBe(0);
  expect(insideRegion(r, 30, 4, 0)).toBe(1);
});
