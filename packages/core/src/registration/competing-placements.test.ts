import { lumps, meshOf } from '../../test/shapes.js';
import type { Placement, Scan } from '../geometry/index.js';
import {
  createRandom,
  fromAxisAngle,
  gaussian,
  identity,
  invertRigid,
  lookAt,
  multiply,
  rotationAngle,
  screwOf,
  transformPoint,
  type Mat4,
  type Vec3,
} from '../math/index.js';
import { rasterizeDepth } from '../mesh/index.js';
import { frameCloud } from '../pointcloud/index.js';
import { createRunContext } from '../runtime/index.js';
import { chooseRival, refinePlacements, registerScans } from './index.js';

/** A round plate with three equal knobs, taller than its underside is deep: it falls onto itself turned by 120°. */
const knobs = (x: number, y: number, z: number): number => {
  const plate = Math.hypot(Math.max(0, Math.hypot(x, y) - 20), z) - 9;
  const fold = (2 * Math.PI) / 3;
  const phi = Math.atan2(y, x);
  const f = phi - fold * Math.round(phi / fold);
  const r = Math.hypot(x, y);
  const knob = Math.hypot(r * Math.cos(f) - 22, r * Math.sin(f), z - 8) - 11;
  return Math.min(plate, knob);
};

type Color = (p: Vec3) => [number, number, number];
const even: Color = () => [120, 116, 108];
/** Worn paint: random light and dark in cells of 4 mm, smoothed between their corners. */
const worn: Color = (p) => {
  const corner = (x: number, y: number, z: number): number => {
    const s = Math.sin(12.9898 * x + 78.233 * y + 37.719 * z) * 43758.5453;
    return s - Math.floor(s) - 0.5;
  };
  const [x, y, z] = p.map((v) => v / 4);
  let v = 0;
  for (let i = 0; i < 8; i++) {
    const c = [Math.floor(x) + (i & 1), Math.floor(y) + ((i >> 1) & 1), Math.floor(z) + (i >> 2)];
    v += corner(c[0], c[1], c[2]) * (1 - Math.abs(x - c[0])) * (1 - Math.abs(y - c[1])) * (1 - Math.abs(z - c[2]));
  }
  return [120 + 90 * v, 116 + 90 * v, 108 + 90 * v];
};

/** Views from around and above, in sensor coordinates, with the poses that put them back. */
function views(shape: typeof knobs, color: Color, count: number): { scan: Scan; objectFromScan: Mat4 }[] {
  const body = meshOf(shape, 46, 1.4);
  const random = createRandom(6);
  const camera = { width: 96, height: 96, fx: 200, fy: 200, cx: 47.5, cy: 47.5 };
  return Array.from({ length: count }, (_, i) => {
    const around = (2 * Math.PI * (i + 0.3 * random())) / count;
    const up = 0.5 + 0.3 * random();
    const eye: Vec3 = [
      220 * Math.cos(around) * Math.cos(up),
      220 * Math.sin(around) * Math.cos(up),
      220 * Math.sin(up),
    ];
    const pose = lookAt(eye, [0, 0, 0], [0, 0.2, 1]);
    const { depth } = rasterizeDepth(body, invertRigid(pose), camera);
    const noisy = depth.map((z) => (z > 0 ? z + 0.05 * gaussian(random) : 0));
    const cloud = frameCloud({ name: 'v', camera, depth: noisy });
    const colors = new Uint8Array(cloud.positions.length);
    for (let k = 0; k < colors.length; k += 3) {
      const p = transformPoint(pose, cloud.positions[k], cloud.positions[k + 1], cloud.positions[k + 2]);
      colors.set(
        color(p).map((v) => v + 2 * gaussian(random)),
        k,
      );
    }
    return { scan: { name: `v${i}`, cloud: { ...cloud, colors }, viewpoints: [[0, 0, 0]] }, objectFromScan: pose };
  });
}

const register = (set: { scan: Scan }[]): ReturnType<typeof registerScans> =>
  registerScans(
    set.map((s) => s.scan),
    {},
    createRunContext({ seed: 2 }),
  );

/** How far each scan is turned from where it belongs, degrees, the reference taken as right. */
function turns(placements: Placement[], reference: string, set: { objectFromScan: Mat4 }[]): number[] {
  const at = placements.findIndex((p) => p.name === reference);
  const objectFromPiece = multiply(set[at].objectFromScan, invertRigid(placements[at].pieceFromScan));
  return placements.map((p, i) => {
    const d = multiply(multiply(objectFromPiece, p.pieceFromScan), invertRigid(set[i].objectFromScan));
    return (rotationAngle(d) * 180) / Math.PI;
  });
}

test('an even body that repeats leaves its scans placed, with the turns it repeats by', async () => {
  const set = views(knobs, even, 5);
  const r = await register(set);
  const sure = r.placements.filter((p) => p.state === 'registered');
  expect(sure.map((p) => p.name)).toContain(r.reference);
  // Nothing wrong may be called registered.
  const off = turns(r.placements, r.reference, set);
  r.placements.forEach((p, i) => p.state === 'registered' && expect(off[i]).toBeLessThan(1));
  expect(r.doubts.length).toBeGreaterThan(0);
  for (const rival of r.doubts.flatMap((d) => d.rivals)) {
    const degrees = (screwOf(rival.pieceFromPiece)!.angle * 180) / Math.PI;
    expect(Math.abs(degrees - 120)).toBeLessThan(1.5);
    expect(Math.abs(rival.agreement.paint)).toBeLessThan(0.25);
  }
});

test('worn paint tells the repetitions apart', async () => {
  const set = views(knobs, worn, 5);
  const r = await register(set);
  expect(r.doubts).toEqual([]);
  expect(r.placements.every((p) => p.state === 'registered')).toBe(true);
  for (const degrees of turns(r.placements, r.reference, set)) expect(degrees).toBeLessThan(1);
});

test('a body that does not repeat leaves no doubt, painted or not', async () => {
  for (const color of [even, worn]) {
    const set = views(lumps, color, 5);
    const r = await register(set);
    expect(r.doubts).toEqual([]);
    for (const degrees of turns(r.placements, r.reference, set)) expect(degrees).toBeLessThan(0.5);
  }
});

describe('choosing', () => {
  const third = fromAxisAngle([0, 0, 1], (2 * Math.PI) / 3);
  const agreement = { overlap: 1, contradicted: 0, paint: 0, marks: 0, marksAgree: 1 };
  const doubt = { scans: ['b', 'c'], chosen: agreement, rivals: [{ pieceFromPiece: third, agreement }] };
  const placements: Placement[] = [
    { name: 'a', state: 'registered', pieceFromScan: identity() },
    { name: 'b', state: 'placed', pieceFromScan: identity(), doubt },
    { name: 'c', state: 'placed', pieceFromScan: fromAxisAngle([1, 0, 0], 1), doubt },
  ];

  test('moves the scans that are sure of one another together and ends their doubt', () => {
    const decided = chooseRival(placements, 'c', 1);
    expect(decided.map((p) => p.state)).toEqual(['registered', 'registered', 'registered']);
    expect(decided.some((p) => p.doubt)).toBe(false);
    expect(decided[0].pieceFromScan).toEqual(placements[0].pieceFromScan);
    for (const k of [1, 2]) {
      const moved = multiply(decided[k].pieceFromScan, invertRigid(placements[k].pieceFromScan));
      expect(rotationAngle(multiply(invertRigid(third), moved))).toBeCloseTo(0, 6);
    }
  });

  test('leaves everything where it is on request', () => {
    const decided = chooseRival(placements, '', 0);
    expect(decided.map((p) => p.pieceFromScan)).toEqual(placements.map((p) => p.pieceFromScan));
    expect(decided.every((p) => p.state === 'registered' && !p.doubt)).toBe(true);
  });

  test.each([
    ['a', 0, /not in doubt/],
    ['nobody', 0, /not in doubt/],
    ['b', 2, /not offered/],
    ['', 1, /not offered/],
  ])('refuses %s to place %i', (scan, place, message) => {
    expect(() => chooseRival(placements, scan, place)).toThrow(message);
  });

  test('fitting again keeps what was not decided, seen from the new frame', async () => {
    const set = views(lumps, even, 3);
    const start: Placement[] = set.map(({ scan, objectFromScan }, i) => ({
      name: scan.name,
      state: i === 0 ? 'registered' : 'placed',
      pieceFromScan: objectFromScan,
      ...(i === 0 ? {} : { doubt: { ...doubt, scans: ['v1', 'v2'] } }),
    }));
    start[2].doubt = start[1].doubt;
    const r = await refinePlacements(
      set.map((s) => s.scan),
      start,
      { reference: 'v0' },
      createRunContext(),
    );
    expect(r.placements.map((p) => p.state)).toEqual(['registered', 'placed', 'placed']);
    expect(r.doubts).toHaveLength(1);
    // v0 now sits in its own frame: the turn is the same one, seen from there.
    const seen = multiply(
      multiply(set[0].objectFromScan, r.doubts[0].rivals[0].pieceFromPiece),
      invertRigid(set[0].objectFromScan),
    );
    expect(rotationAngle(multiply(invertRigid(third), seen))).toBeCloseTo(0, 4);
  });
});
