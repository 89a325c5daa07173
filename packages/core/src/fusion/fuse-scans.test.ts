import { backwardPool } from '../../test/backward-pool.js';
import { spherePoints } from '../../test/shapes.js';
import type { DepthFrame, Placement, Scan, TriangleMesh } from '../geometry/index.js';
import { filterPoints, vertexCount } from '../geometry/index.js';
import { createRandom, gaussian, identity, lookAt } from '../math/index.js';
import { enclosedVolume } from '../measure/index.js';
import { inspectTopology } from '../mesh/index.js';
import { joinFrames } from '../pointcloud/index.js';
import { createRunContext } from '../runtime/index.js';
import { fuseScans } from './index.js';

const ctx = createRunContext();

const placed = (scans: Scan[]): Placement[] =>
  scans.map((s) => ({ name: s.name, state: 'registered', pieceFromScan: identity() }));

/** A scan of a ball all around, as oriented points. */
function ballScan(name: string, count: number, radius: number, noise: number, seed: number): Scan {
  const positions = spherePoints(count, radius, noise, seed);
  return { name, cloud: { positions, normals: positions.map((v) => v / radius) } };
}

/** A level square of 40 mm seen from above (or from below, facing down), every `step` mm, about 4 points left over the edge. */
function sheetScan(name: string, z: number, noise: number, seed: number, from = 200, step = 0.4): Scan {
  const random = createRandom(seed);
  const side = Math.round(40 / step);
  const positions = new Float32Array(3 * side * side);
  for (let i = 0; i < side * side; i++) {
    positions[3 * i] = step * ((i % side) + 0.6 * random()) - 20;
    positions[3 * i + 1] = step * (Math.floor(i / side) + 0.6 * random()) - 20;
    positions[3 * i + 2] = z + noise * gaussian(random);
  }
  return { name, cloud: { positions }, viewpoints: [[0, 0, from]] };
}

function radii(mesh: TriangleMesh): Float64Array {
  const p = mesh.positions;
  return Float64Array.from({ length: vertexCount(mesh) }, (_, i) => Math.hypot(p[3 * i], p[3 * i + 1], p[3 * i + 2]));
}

const rms = (values: ArrayLike<number>): number =>
  Math.sqrt(Array.from(values).reduce((s, v) => s + v * v, 0) / values.length);

describe('a ball in closed form, two scans of it with 0.1 mm of noise', () => {
  const scans = [1, 2].map((seed) => ballScan(`s${seed}`, 60_000, 30, 0.1, seed));
  let mesh: TriangleMesh;
  beforeAll(async () => {
    mesh = await fuseScans(scans, placed(scans), { voxel: 0.6 }, ctx);
  });

  test('lies within a fifth of the noise of the true ball, nothing astray', () => {
    const off = radii(mesh).map((r) => r - 30);
    expect(rms(off)).toBeLessThan(0.02);
    expect(off.reduce((m, v) => Math.max(m, Math.abs(v)), 0)).toBeLessThan(0.12);
  });

  test('is closed, one piece, turned outwards', () => {
    expect(inspectTopology(mesh)).toMatchObject({ watertight: true, pieces: 1, euler: 2 });
    expect(enclosedVolume(mesh) / ((4 / 3) * Math.PI * 27_000)).toBeCloseTo(1, 3);
  });

  test('expects about the error that it has', () => {
    const expected = rms(mesh.expectedError!);
    const found = rms(radii(mesh).map((r) => r - 30));
    expect(found / expected).toBeGreaterThan(1 / 1.5);
    expect(found / expected).toBeLessThan(1.5);
  });

  test('was measured by both scans', () => {
    const counts = Array.from(mesh.scanCount!).sort();
    expect([counts[0], counts[counts.length - 1]]).toEqual([2, 2]);
  });
});

test('a sheet of 1 mm seen from both sides keeps both at a voxel of 0.5 mm', async () => {
  const scans = [
    sheetScan('above', 0.5, 0.05, 1),
    sheetScan('above 2', 0.5, 0.05, 2),
    sheetScan('below', -0.5, 0.05, 3, -200),
    sheetScan('below 2', -0.5, 0.05, 4, -200),
  ];
  const { positions: p } = await fuseScans(scans, placed(scans), { voxel: 0.5 }, ctx);
  const off: number[] = [];
  let upper = 0;
  for (let i = 0; i < p.length; i += 3) {
    // Within the sheet, away from its open sides.
    if (Math.abs(p[i]) > 18 || Math.abs(p[i + 1]) > 18) continue;
    off.push(Math.abs(p[i + 2]) - 0.5);
    if (p[i + 2] > 0) upper++;
  }
  expect(upper / off.length).toBeCloseTo(0.5, 1);
  expect(Math.abs(2 * (off.reduce((s, v) => s + v, 0) / off.length))).toBeLessThan(0.05);
  expect(rms(off)).toBeLessThan(0.03);
});

test('points without any noise fuse as well', async () => {
  const scans = [ballScan('computed', 30_000, 20, 0, 1)];
  const mesh = await fuseScans(scans, placed(scans), { voxel: 0.6 }, ctx);
  expect(inspectTopology(mesh)).toMatchObject({ watertight: true, pieces: 1 });
  expect(rms(radii(mesh).map((r) => r - 20))).toBeLessThan(0.003);
});

test('of three scans one lies 0.5 mm off: it is outvoted', async () => {
  const good = [sheetScan('a', 0, 0.1, 1), sheetScan('b', 0, 0.1, 2)];
  const all = [...good, sheetScan('bent', 0.5, 0.1, 3)];
  const height = async (scans: Scan[]): Promise<number> => {
    const { positions: p } = await fuseScans(scans, placed(scans), { voxel: 0.5 }, ctx);
    let sum = 0;
    let n = 0;
    for (let i = 0; i < p.length; i += 3) {
      if (Math.abs(p[i]) > 18 || Math.abs(p[i + 1]) > 18) continue;
      sum += p[i + 2];
      n++;
    }
    return sum / n;
  };
  expect(Math.abs((await height(all)) - (await height(good)))).toBeLessThan(0.05);
});

test('stray points and crumbs leave no surface', async () => {
  const scan = sheetScan('a', 0, 0.05, 1);
  const random = createRandom(5);
  const strays = Float32Array.from({ length: 3 * 200 }, (_, i) =>
    i % 3 === 2 ? 3 + 20 * random() : 40 * random() - 20,
  );
  const positions = new Float32Array([...scan.cloud.positions, ...strays]);
  const scans = [{ ...scan, cloud: { positions } }];
  const { positions: p } = await fuseScans(scans, placed(scans), { voxel: 0.5 }, ctx);
  for (let i = 2; i < p.length; i += 3) expect(Math.abs(p[i])).toBeLessThan(0.3);
});

test('what was seen ends where it ended: no skin beyond its rim', async () => {
  const scans = [sheetScan('a', 0, 0.05, 1)];
  const { positions: p } = await fuseScans(scans, placed(scans), { voxel: 0.5 }, ctx);
  let farthest = 0;
  for (let i = 0; i < p.length; i += 3) farthest = Math.max(farthest, Math.abs(p[i]), Math.abs(p[i + 1]));
  expect(farthest).toBeLessThan(20 + 2 * 0.5);
  expect(farthest).toBeGreaterThan(19.4);
});

test('the same mesh comes out whatever the number of threads', async () => {
  const scans = [ballScan('a', 40_000, 30, 0.1, 1)];
  const alone = await fuseScans(scans, placed(scans), { voxel: 1 }, ctx);
  const threaded = await fuseScans(scans, placed(scans), { voxel: 1 }, createRunContext({ pool: backwardPool }));
  expect(threaded.positions).toEqual(alone.positions);
  expect(threaded.indices).toEqual(alone.indices);
});

test('forty scans of the same place are counted as forty', async () => {
  const scans = Array.from({ length: 40 }, (_, k) => ballScan(`s${k}`, 6000, 20, 0.02, k + 1));
  const { scanCount } = await fuseScans(scans, placed(scans), { voxel: 2 }, ctx);
  const counts = Array.from(scanCount!).sort((a, b) => a - b);
  // Spread at random each has about five points near by: of some scans there is none, by chance.
  expect(counts[counts.length >> 1]).toBeGreaterThanOrEqual(36);
  expect(counts[counts.length - 1]).toBe(40);
});

test('depth images fuse to the seen side of a ball, each pixel as its frame saw it', async () => {
  const camera = { width: 160, height: 160, fx: 300, fy: 300, cx: 79.5, cy: 79.5 };
  const random = createRandom(3);
  const frames = [0, 0.4, -0.4].map((around, k): DepthFrame => {
    const scanFromSensor = lookAt([120 * Math.cos(around), 120 * Math.sin(around), 0], [0, 0, 0], [0, 0, 1]);
    const depth = new Float32Array(160 * 160);
    for (let i = 0; i < depth.length; i++) {
      // Ray against a ball of radius 25 at distance 120, in closed form.
      const rx = ((i % 160) - camera.cx) / camera.fx;
      const ry = (Math.floor(i / 160) - camera.cy) / camera.fy;
      const a = 1 + rx * rx + ry * ry;
      const root = 120 * 120 - a * (120 * 120 - 625);
      if (root > 0) depth[i] = (120 - Math.sqrt(root)) / a + 0.05 * gaussian(random);
    }
    return { name: `frame ${k}`, camera, depth, scanFromSensor };
  });
  // Cleaning took away what lies below: there no surface may come out.
  const all = joinFrames(frames, 0.5);
  const keep = Uint8Array.from({ length: all.positions.length / 3 }, (_, i) =>
    all.positions[3 * i + 2] > -10 ? 1 : 0,
  );
  const cloud = filterPoints(all, keep);
  const scans: Scan[] = [{ name: 'a', cloud, frames }];
  const mesh = await fuseScans(scans, placed(scans), { voxel: 0.6 }, ctx);
  expect(rms(radii(mesh).map((r) => r - 25))).toBeLessThan(0.025);
  const lowest = mesh.positions.reduce((m, v, i) => (i % 3 === 2 && v < m ? v : m), 0);
  expect(lowest).toBeGreaterThan(-12);
  expect(lowest).toBeLessThan(-9);
});

test('fusing without a registered scan says what to do', async () => {
  await expect(fuseScans([{ name: 'a', cloud: { positions: spherePoints(200, 5) } }], [], {}, ctx)).rejects.toThrow(
    /Run a registration first/,
  );
});
