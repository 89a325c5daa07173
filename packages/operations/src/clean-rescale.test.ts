import { loosePlacement, type Placement, type Scan } from '@amber-knit/core/geometry';
import { fromTwist, identity, transformPoint } from '@amber-knit/core/math';
import { createRunContext } from '@amber-knit/core/runtime';
import { cleanRescale, CleanRescaleParams } from './clean-rescale.js';

const scan = (name: string, change: Partial<Scan> = {}): Scan => ({
  name,
  cloud: { positions: Float32Array.from([0, 0, 0, 1, 2, 3]), colors: new Uint8Array(6) },
  viewpoints: [[0, 0, 10]],
  backdrop: Float32Array.from([0, 0, -1]),
  ...change,
});
const placements: Placement[] = [
  { name: 'a', state: 'registered', pieceFromScan: identity(), residual: 0.1 },
  { name: 'b', state: 'registered', pieceFromScan: fromTwist(0, 0, 1, 5, 0, 0), residual: 0.2 },
  loosePlacement('c'),
];
const run = async (params: Partial<CleanRescaleParams>, places = placements) => {
  const scans = ['a', 'b', 'c'].map((name) => scan(name));
  const all = { ...new CleanRescaleParams(), ...params };
  const { outputs, figures } = await cleanRescale.run({ scans, placements: places }, all, createRunContext());
  return { scans: outputs.scans, placements: (outputs as { placements?: Placement[] }).placements, figures };
};

test('all scans grow with everything that belongs to them, and keep their places', async () => {
  const r = await run({ was: 'in' });
  const [, b] = r.scans;
  expect(Array.from(b.cloud.positions.subarray(3))).toEqual([25.4, 50.8, 76.2].map(Math.fround));
  expect([b.viewpoints, Array.from(b.backdrop!)]).toEqual([[[0, 0, 254]], [0, 0, Math.fround(-25.4)]]);
  expect(r.placements!.map((p) => p.state)).toEqual(['registered', 'registered', 'loose']);
  // A point goes where it went, times the factor.
  const before = transformPoint(placements[1].pieceFromScan, 1, 2, 3);
  transformPoint(r.placements![1].pieceFromScan, 25.4, 50.8, 76.2).forEach((v, k) =>
    expect(v).toBeCloseTo(25.4 * before[k], 9),
  );
  expect(r.placements![1].residual).toBeCloseTo(5.08, 9);
  expect(r.figures).toMatchObject({ scans: 3, factor: 25.4 });
});

test('a scan that grows alone comes loose; one without a place takes nothing from the others', async () => {
  const alone = await run({ was: 'factor', factor: 2, only: ['b'] });
  expect(alone.placements!.map((p) => p.state)).toEqual(['registered', 'loose', 'loose']);
  expect(alone.scans[0].cloud.positions[5]).toBe(3);
  const loose = await run({ was: 'cm', only: ['c'] });
  expect(loose.placements!.map((p) => p.state)).toEqual(['registered', 'registered', 'loose']);
  expect(loose.scans[2].cloud.positions[5]).toBe(30);
});

test('scans from depth pictures are refused', async () => {
  const camera = { width: 1, height: 1, fx: 1, fy: 1, cx: 0, cy: 0 };
  const frames = [{ name: '0', camera, depth: new Float32Array(1), scanFromSensor: identity() }];
  const scans = [scan('a', { frames })];
  await expect(
    (async () => cleanRescale.run({ scans }, new CleanRescaleParams(), createRunContext()))(),
  ).rejects.toThrow(/comes from depth pictures/);
});

test('places where scans are chosen grow with a piece that grows as a whole, and only then', async () => {
  const { findOperation, runOperation } = await import('./index.js');
  const { createRunContext } = await import('@amber-knit/core/runtime');
  const { identity } = await import('@amber-knit/core/math');
  const scans = ['a', 'b'].map((name) => ({ name, cloud: { positions: Float32Array.of(0, 0, 0, 1, 1, 1) } }));
  const placements = scans.map(({ name }) => ({ name, state: 'registered' as const, pieceFromScan: identity() }));
  const region = {
    name: 'r',
    how: 'only' as const,
    scans: ['a'],
    balls: [[1, 2, 3, 4]] as [[number, number, number, number]],
    width: 5,
  };
  const run = async (only: string[]) =>
    (
      await runOperation(
        findOperation('clean.rescale'),
        { scans, placements, trust: { regions: [region] } },
        { was: 'factor', factor: 10, only },
        createRunContext(),
      )
    ).outputs.trust;
  expect((await run([]))!.regions[0]).toMatchObject({ balls: [[10, 20, 30, 40]], width: 50 });
  expect(await run(['a'])).toBeUndefined();
});
