import {
  createRandom,
  fromAxisAngle,
  fromTranslation,
  gaussian,
  invertRigid,
  lookAt,
  multiply,
  rotationAngle,
  transformPoint,
  transformPoints,
  type Mat4,
  type Vec3,
} from '../math/index.js';
import { createRunContext } from '../runtime/index.js';
import { rasterizeDepth } from '../mesh/index.js';
import { frameCloud } from '../pointcloud/index.js';
import type { Placement, Scan } from '../geometry/index.js';
import { lumps, meshOf } from '../../test/shapes.js';
import { PointGrid } from '../spatial/index.js';
import { estimateNormals } from '../pointcloud/index.js';
import { findConsistentPlacements, refinePlacements, registerIcp, registerScans, uprightFrame } from './index.js';

const ctx = createRunContext();

const body = meshOf(lumps, 42, 1.6);

/** Views of the body in sensor coordinates with the poses that put them back. */
function views(around: number[], noise: number): { scan: Scan; objectFromScan: Mat4 }[] {
  const random = createRandom(6);
  const camera = { width: 76, height: 76, fx: 180, fy: 180, cx: 37.5, cy: 37.5 };
  return around.map((a, i) => {
    const up = i % 2 === 0 ? 0.25 : -0.2;
    const pose = lookAt(
      [220 * Math.cos(a) * Math.cos(up), 220 * Math.sin(a) * Math.cos(up), 220 * Math.sin(up)],
      [0, 0, 0],
      [0, 0.2, 1],
    );
    const { depth } = rasterizeDepth(body, invertRigid(pose), camera);
    const noisy = depth.map((z) => (z > 0 ? z + noise * gaussian(random) : 0));
    const cloud = frameCloud({ name: 'v', camera, depth: noisy });
    return { scan: { name: `v${i}`, cloud, viewpoints: [[0, 0, 0] as Vec3] }, objectFromScan: pose };
  });
}

const set = views([0, 0.75, 1.5, 2.25], 0.05);

function worst(found: (Mat4 | undefined)[], reference: number): { angleDeg: number; shift: number } {
  const objectFromPiece = multiply(set[reference].objectFromScan, invertRigid(found[reference]!));
  let angleDeg = 0;
  let shift = 0;
  found.forEach((pose, i) => {
    const d = multiply(multiply(objectFromPiece, pose!), invertRigid(set[i].objectFromScan));
    angleDeg = Math.max(angleDeg, (rotationAngle(d) * 180) / Math.PI);
    shift = Math.max(shift, Math.hypot(...transformPoint(d, 0, 0, 0)));
  });
  return { angleDeg, shift };
}

// The points of these small views lie 1.2 mm apart; full-sized views reach 0.02 mm (docs/figures.md).
test('views in unknown positions are put together within a fifth of their spacing', async () => {
  const r = await registerScans(
    set.map((s) => s.scan),
    {},
    createRunContext({ seed: 2 }),
  );
  expect(r.placements.every((p) => p.state === 'registered')).toBe(true);
  const e = worst(
    r.placements.map((p) => p.pieceFromScan),
    r.placements.findIndex((p) => p.name === r.reference),
  );
  expect(e.angleDeg).toBeLessThan(0.3);
  expect(e.shift).toBeLessThan(0.25);
});

test('rough placements are refined and a wanted reference stays put', async () => {
  const random = createRandom(4);
  const rough = set.map(({ scan, objectFromScan }) => ({
    name: scan.name,
    state: 'placed' as const,
    pieceFromScan: multiply(
      multiply(
        fromTranslation(0.6 * gaussian(random), 0.6 * gaussian(random), 0.6 * gaussian(random)),
        fromAxisAngle([1, random(), random()], 0.012),
      ),
      objectFromScan,
    ),
  }));
  const r = await refinePlacements(
    set.map((s) => s.scan),
    rough,
    { reference: 'v3' },
    ctx,
  );
  expect(r.reference).toBe('v3');
  const e = worst(
    r.placements.map((p) => p.pieceFromScan),
    3,
  );
  expect(e.angleDeg).toBeLessThan(0.3);
  expect(e.shift).toBeLessThan(0.25);
});

test('locked scans keep their places to the last digit, and the others come to them', async () => {
  const scans = set.map((s) => s.scan);
  const frame = multiply(fromTranslation(40, -25, 12), fromAxisAngle([0.3, 1, 0.2], 0.8));
  const lockAt = (i: number): Placement => ({
    name: scans[i].name,
    state: 'registered',
    pieceFromScan: multiply(frame, set[i].objectFromScan),
    locked: true,
  });
  const locked = [lockAt(1), lockAt(2)];
  const isRight = (placements: readonly Placement[]): void => {
    expect(placements.map((p) => p.state)).toEqual(['registered', 'registered', 'registered', 'registered']);
    expect(placements.slice(1, 3)).toMatchObject(locked);
    placements.forEach((p, i) => {
      const off = multiply(invertRigid(multiply(frame, set[i].objectFromScan)), p.pieceFromScan);
      expect((rotationAngle(off) * 180) / Math.PI).toBeLessThan(0.3);
      const [x, y, z] = transformPoint(off, 0, 0, 220);
      expect(Math.hypot(x, y, z - 220)).toBeLessThan(0.25);
    });
  };
  const found = await registerScans(scans, { locked }, createRunContext({ seed: 3 }));
  isRight(found.placements);
  const slipped = found.placements.map((p) =>
    p.locked ? p : { ...p, pieceFromScan: multiply(fromTranslation(0.7, -0.5, 0.4), p.pieceFromScan) },
  );
  isRight((await refinePlacements(scans, slipped, { reference: 'v3' }, ctx)).placements);
});

test('a single scan is its own reference, one of another object stays loose', async () => {
  const one = await registerScans([set[0].scan], {}, ctx);
  expect(one.placements[0].state).toBe('registered');
  const plate: number[] = [];
  for (let x = -30; x < 30; x++)
    for (let y = -30; y < 30; y++) plate.push(x, y, 200 + 4 * Math.sin(x / 3) * Math.cos(y / 2));
  const other: Scan = { name: 'other', cloud: { positions: Float32Array.from(plate) }, viewpoints: [[0, 0, 0]] };
  const r = await registerScans([set[0].scan, set[1].scan, other], {}, createRunContext({ seed: 1 }));
  expect(r.placements.find((p) => p.name === 'other')!.state).toBe('loose');
  expect(r.placements.filter((p) => p.state === 'registered')).toHaveLength(2);
  // The same seed gives the same result, to the last bit.
  const again = await registerScans([set[0].scan, set[1].scan, other], {}, createRunContext({ seed: 1 }));
  expect(again.placements).toEqual(r.placements);
});

test('too small a scan is refused by name', async () => {
  await expect(registerScans([{ name: 'tiny', cloud: { positions: new Float32Array(30) } }], {}, ctx)).rejects.toThrow(
    /tiny holds 10 points/,
  );
});

test('one right correspondence in eight is enough to find the placement', () => {
  const cloud = set[0].scan.cloud.positions.filter((_, i) => Math.floor(i / 3) % 4 === 0);
  const n = cloud.length / 3;
  const normals = estimateNormals({ positions: cloud }, [[0, 0, 0]], { radius: 6 }, ctx).normals;
  const truth = multiply(fromTranslation(30, -20, 10), fromAxisAngle([1, 1, 0.3], 1.2));
  const source = { positions: cloud, normals };
  const target = {
    positions: transformPoints(truth, cloud),
    normals: transformPoints(fromAxisAngle([1, 1, 0.3], 1.2), normals),
  };
  const random = createRandom(12);
  const pairs = { source: new Uint32Array(400), target: new Uint32Array(400) };
  for (let i = 0; i < 400; i++) {
    pairs.source[i] = Math.floor(random() * n);
    pairs.target[i] = i % 8 === 0 ? pairs.source[i] : Math.floor(random() * n);
  }
  const [best] = findConsistentPlacements(source, target, pairs, 2, 3);
  const moved = transformPoints(best.targetFromSource, cloud);
  const mean = moved.reduce((s, v, i) => s + Math.abs(v - target.positions[i]), 0) / moved.length;
  expect(mean).toBeLessThan(0.5);
});

test('point-to-plane converges from two degrees and a millimetre', () => {
  const positions = set[0].scan.cloud.positions;
  const normals = estimateNormals({ positions }, [[0, 0, 0]], {}, ctx).normals;
  const cloud = { positions, normals };
  const sample = Uint32Array.from({ length: positions.length / 3 }, (_, i) => i);
  const start = multiply(
    fromTranslation(0, 0, 1),
    multiply(fromTranslation(0, 0, 200), multiply(fromAxisAngle([1, 0, 1], 0.035), fromTranslation(0, 0, -200))),
  );
  const r = registerIcp(cloud, sample, cloud, new PointGrid(positions, 2), start, {
    maxDistance: 6,
    minDistance: 1,
    maxIterations: 25,
  });
  expect(r.wellPosed).toBe(true);
  r.targetFromSource.forEach((v, i) => expect(v).toBeCloseTo(i % 5 === 0 ? 1 : 0, 2));
});

test('up is where the support says', () => {
  const tilt = fromAxisAngle([1, 0.2, 0], 0.7);
  const table: number[] = [];
  for (let x = -20; x <= 20; x++) for (let y = -20; y <= 20; y++) table.push(5 * x, 5 * y, 0);
  const object = set[0].scan.cloud.positions.slice(0, 3000).map((_, i) => (i % 3 === 2 ? 40 + (i % 7) : (i % 11) - 5));
  const m = uprightFrame({
    name: 'a',
    cloud: { positions: transformPoints(tilt, object) },
    backdrop: transformPoints(tilt, Float32Array.from(table)),
  });
  const back = transformPoints(multiply(m, tilt), object);
  for (let i = 2; i < 300; i += 3) expect(back[i]).toBeCloseTo(object[i], 2);
});
