import type { Scan } from '../geometry/scan.js';
import {
  fromAxisAngle,
  fromTranslation,
  identity,
  invertRigid,
  lookAt,
  multiply,
  transformPoint,
  transformPoints,
  type Mat4,
  type Vec3,
} from '../math/mat4.js';
import { createRandom, gaussian } from '../math/random.js';
import { createRunContext } from '../runtime/run-context.js';
import { spherePoints } from '../../test/shapes.js';
import { believeSupports } from './believed-supports.js';
import { noEvidence } from './evidence.js';
import type { PairCandidate } from './pair-candidates.js';
import type { PreparedScan } from './prepared-scan.js';
import { keepsSupport, supportOf, type Support } from './shared-support.js';

/** A ball of 40 mm radius over a table, both in the frame of a sensor that stands somewhere. */
function seen(sensor: Mat4, table: (x: number, y: number, k: number) => number, more: Partial<Scan> = {}): Scan {
  const ball = transformPoints(fromTranslation(0, 0, 55), spherePoints(400, 40));
  const random = createRandom(3);
  const flat: number[] = [];
  for (let k = 0; k < 900; k++) {
    const [x, y] = [160 * (random() - 0.5), 160 * (random() - 0.5)];
    flat.push(x, y, table(x, y, k) + 0.2 * gaussian(random));
  }
  const sensorFromWorld = invertRigid(sensor);
  return {
    name: 'ball',
    cloud: { positions: transformPoints(sensorFromWorld, ball) },
    backdrop: transformPoints(sensorFromWorld, Float32Array.from(flat)),
    setup: 'Upright',
    ...more,
  };
}

const SENSOR = lookAt([250, 80, 220], [0, 0, 40], [0, 0, 1]);
const level = (): number => 0;

test('the support is the plane under the scan, towards its object, also with clutter on the table', () => {
  for (const table of [level, (_x: number, _y: number, k: number) => (k % 12 === 0 ? 6 : 0)]) {
    const support = supportOf(seen(SENSOR, table))!;
    const up = transformPoint(multiply(invertRigid(SENSOR), fromTranslation(0, 0, 1)), 0, 0, 0).map(
      (v, k) => v - transformPoint(invertRigid(SENSOR), 0, 0, 0)[k],
    );
    expect(support.normal[0] * up[0] + support.normal[1] * up[1] + support.normal[2] * up[2]).toBeGreaterThan(0.9999);
    expect(support.height).toBeGreaterThan(54.5);
    expect(support.height).toBeLessThan(55.5);
    expect(support.setup).toBe('Upright');
  }
});

test('no setup, no table, a crumpled one or an edge of one tells nothing', () => {
  expect(supportOf(seen(SENSOR, level, { setup: undefined }))).toBeUndefined();
  expect(supportOf(seen(SENSOR, level, { backdrop: undefined }))).toBeUndefined();
  expect(supportOf(seen(SENSOR, level, { backdrop: new Float32Array(90) }))).toBeUndefined();
  expect(supportOf(seen(SENSOR, (x, y) => 12 * Math.sin(x / 9) * Math.cos(y / 9)))).toBeUndefined();
  const edge = Float32Array.from({ length: 3000 }, (_, i) => (i % 3 === 0 ? i / 30 : 0));
  expect(supportOf(seen(SENSOR, level, { backdrop: edge }))).toBeUndefined();
});

/** Both in the table's own frame, so that a placement is the motion of the object on its table. */
const onTable = (setup = 'Upright', height = 55): Support => ({
  setup,
  normal: [0, 0, 1],
  height,
  middle: [0, 0, height],
  size: 140,
});

test('turned about the upright and shifted along the table it stands; tipped, upside down or lifted it does not', () => {
  const turned = (axis: Vec3, degrees: number): Mat4 => {
    const to = fromTranslation(0, 0, 55);
    return multiply(multiply(to, fromAxisAngle(axis, (degrees * Math.PI) / 180)), invertRigid(to));
  };
  const stands = (m: Mat4): boolean => keepsSupport(onTable(), onTable(), m);
  expect(stands(identity())).toBe(true);
  expect(stands(turned([0, 0, 1], 130))).toBe(true);
  expect(stands(fromTranslation(80, -40, 0))).toBe(true);
  expect(stands(turned([1, 0, 0], 4))).toBe(true);
  expect(stands(turned([1, 0, 0], 8))).toBe(false);
  expect(stands(turned([0, 1, 0], 180))).toBe(false);
  expect(stands(fromTranslation(0, 0, 4))).toBe(true);
  expect(stands(fromTranslation(0, 0, 8))).toBe(false);
});

test('scans of different setups, or without a support, may lie anyhow', () => {
  const tipped = fromAxisAngle([1, 0, 0], 2);
  expect(keepsSupport(onTable('Upright'), onTable('On its side'), tipped)).toBe(true);
  expect(keepsSupport(onTable(), undefined, tipped)).toBe(true);
});

/** Scans of one setup; those with a number in `tipped` were in truth laid on their side. */
function believed(tipped: readonly number[], count = 8): { supports: boolean[]; notes: string[]; scores: number[] } {
  const scans = Array.from({ length: count }, (_, i) => ({ ...seen(identity(), level), name: `s${i}` }));
  const truth = scans.map((_, i) => (tipped.includes(i) ? fromAxisAngle([1, 0, 0], Math.PI / 2) : identity()));
  const found = scans.flatMap((_, a) =>
    scans.slice(a + 1).map((_s, k): PairCandidate[] => {
      const b = a + 1 + k;
      const evidence = { ...noEvidence(), matched: 300, judged: 400 };
      return [{ a, b, bFromA: multiply(invertRigid(truth[b]), truth[a]), evidence, score: 300 }];
    }),
  );
  const prepared = scans.map((s) => ({ name: s.name, shuffle: new Uint32Array(400) })) as unknown as PreparedScan[];
  const notes: string[] = [];
  believeSupports(scans, prepared, found, createRunContext({ onNote: (n) => notes.push(n) }));
  return { supports: prepared.map((p) => p.support !== undefined), notes, scores: found.flat().map((c) => c.score) };
}

test('where all lie as their setup says, all supports are believed and nothing is said', () => {
  const { supports, notes, scores } = believed([]);
  expect(supports).toEqual(new Array(8).fill(true));
  expect(notes).toEqual([]);
  expect(new Set(scores)).toEqual(new Set([300]));
});

test('a scan that was turned over under the same name is left out and named; what it says against others is not heard', () => {
  const { supports, notes, scores } = believed([3]);
  expect(supports.map((s, i) => (s ? -1 : i)).filter((i) => i >= 0)).toEqual([3]);
  expect(notes).toEqual([
    's3 does not lie as others of its setup do. If the object was moved, give it a setup of its own.',
  ]);
  expect(new Set(scores)).toEqual(new Set([300]));
});

test('of two rests under one name the larger is believed at most', () => {
  const { supports } = believed([5, 6, 7]);
  expect(supports.slice(5)).toEqual([false, false, false]);
  expect(supports.slice(0, 5)).toEqual(new Array(5).fill(true));
});

test('once supports are believed, a placement that breaks them has more against it than it can have for it', () => {
  const scans = Array.from({ length: 6 }, (_, i) => ({ ...seen(identity(), level), name: `s${i}` }));
  const upside = multiply(fromTranslation(0, 0, 110), fromAxisAngle([1, 0, 0], Math.PI));
  const found = scans.flatMap((_, a) =>
    scans.slice(a + 1).map((_s, k): PairCandidate[] => {
      const of = (bFromA: Mat4, matched: number): PairCandidate => {
        const evidence = { ...noEvidence(), matched, judged: 900 };
        return { a, b: a + 1 + k, bFromA, evidence, score: matched };
      };
      // Upside down it overlaps even more.
      return [of(upside, 800), of(identity(), 500)];
    }),
  );
  const prepared = scans.map((s) => ({ name: s.name, shuffle: new Uint32Array(400) })) as unknown as PreparedScan[];
  believeSupports(scans, prepared, found, createRunContext());
  for (const [first, second] of found) {
    expect(first.bFromA).toEqual(identity());
    expect(first.score).toBe(500);
    expect(second.score).toBeLessThan(0);
  }
});
