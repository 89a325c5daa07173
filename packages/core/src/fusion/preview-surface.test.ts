import { spherePoints } from '../../test/shapes.js';
import type { Placement, Scan } from '../geometry/index.js';
import { triangleCount } from '../geometry/index.js';
import { fromTranslation, identity } from '../math/index.js';
import { createRunContext } from '../runtime/index.js';
import { previewSurface } from './index.js';

const ctx = createRunContext();
const ball = (name: string, seed: number): Scan => {
  const positions = spherePoints(60_000, 30, 0.05, seed);
  return { name, cloud: { positions, normals: positions.map((v) => v / 30) } };
};
const scans = [ball('a', 1), ball('b', 2)];
const at = (name: string, x: number): Placement => ({
  name,
  state: 'registered',
  pieceFromScan: x ? fromTranslation(x, 0, 0) : identity(),
});

test('a preview is coarse, and where the surface is', async () => {
  const { mesh, voxel } = await previewSurface(scans, [at('a', 0), at('b', 0)], { voxel: 0.3 }, ctx);
  expect(voxel).toBeCloseTo(60 / 64, 1);
  expect(triangleCount(mesh)).toBeLessThan(45_000);
  const p = mesh.positions;
  let worst = 0;
  for (let i = 0; i < p.length; i += 3) worst = Math.max(worst, Math.abs(Math.hypot(p[i], p[i + 1], p[i + 2]) - 30));
  expect(worst).toBeLessThan(0.3);
});

test('a voxel that is coarser still is kept; scans without a place are not in it', async () => {
  const { mesh, voxel } = await previewSurface(scans, [at('a', 100)], { voxel: 4 }, ctx);
  expect(voxel).toBe(4);
  for (let i = 0; i < mesh.positions.length; i += 3) expect(mesh.positions[i]).toBeGreaterThan(65);
});

test('without a registered scan it says what to do', async () => {
  await expect(previewSurface(scans, [], {}, ctx)).rejects.toThrow(/Run a registration first/);
});
