import { box, meshOf, sphere, torus } from '../../test/shapes.js';
import type { DepthFrame } from '../geometry/index.js';
import { identity, lookAt } from '../math/index.js';
import { enclosedVolume, measureDeviation, surfaceArea } from '../measure/index.js';
import { inspectTopology } from '../mesh/index.js';
import { createRunContext } from '../runtime/index.js';
import { integrateFrame, marchingCubes, SignedField } from './index.js';
import { TRIANGLE_TABLE } from './marching-cubes-table.js';

const ctx = createRunContext();

describe('marching cubes', () => {
  test('every case but the two empty ones gives triangles, complementary cases share their edges', () => {
    TRIANGLE_TABLE.forEach((t, cell) => {
      expect(t.length % 3).toBe(0);
      if (cell === 0 || cell === 255) expect(t.length).toBe(0);
      else expect(new Set(t)).toEqual(new Set(TRIANGLE_TABLE[255 - cell]));
    });
  });

  test('a random field gives a closed surface but at the border: the table has no cracks', () => {
    const field = new SignedField(1);
    const at = field.block(0, 0, 0) * 512;
    let s = 12345;
    for (let i = 0; i < 512; i++) {
      s = (Math.imul(s, 1103515245) + 12345) >>> 0;
      const inner = [i & 7, (i >> 3) & 7, i >> 6].every((v) => v > 0 && v < 7);
      field.distance[at + i] = inner ? s / 4294967296 - 0.5 : 1;
      field.weight[at + i] = 1;
    }
    const report = inspectTopology(marchingCubes(field, 0.5, ctx));
    expect(report.boundaryEdges).toBe(0);
    expect(report.triangles).toBeGreaterThan(300);
  });

  test('the error falls with the square of the voxel', () => {
    const error = (voxel: number): number => {
      const p = meshOf(sphere(20), 20, voxel).positions;
      let worst = 0;
      for (let i = 0; i < p.length; i += 3)
        worst = Math.max(worst, Math.abs(Math.hypot(p[i], p[i + 1], p[i + 2]) - 20));
      return worst;
    };
    const [coarse, fine] = [error(2), error(1)];
    expect(coarse / fine).toBeGreaterThan(3);
    expect(fine).toBeLessThan(1 / 8 / 20 + 1e-3);
  });

  test('sphere, torus and box have their area, volume and Euler number', () => {
    const ball = meshOf(sphere(20), 20, 0.8);
    expect(surfaceArea(ball) / (4 * Math.PI * 400)).toBeCloseTo(1, 2);
    expect(enclosedVolume(ball) / ((4 / 3) * Math.PI * 8000)).toBeCloseTo(1, 2);
    const ring = meshOf(torus(20, 6), 27, 0.8);
    expect(surfaceArea(ring) / (4 * Math.PI ** 2 * 20 * 6)).toBeCloseTo(1, 2);
    expect(enclosedVolume(ring) / (2 * Math.PI ** 2 * 20 * 36)).toBeCloseTo(1, 2);
    expect(inspectTopology(ball)).toMatchObject({ euler: 2, watertight: true, pieces: 1 });
    expect(inspectTopology(ring)).toMatchObject({ euler: 0, watertight: true, pieces: 1 });
    const block = meshOf(box(30, 20, 10), 16, 0.5);
    expect(enclosedVolume(block) / 6000).toBeGreaterThan(0.985);
  });
});

test('depth images of a sphere fuse to its seen side', () => {
  const camera = { width: 160, height: 160, fx: 300, fy: 300, cx: 79.5, cy: 79.5 };
  const field = new SignedField(0.8);
  for (const around of [0, 0.3, -0.3]) {
    const pose = lookAt([120 * Math.cos(around), 120 * Math.sin(around), 0], [0, 0, 0], [0, 0, 1]);
    const depth = new Float32Array(160 * 160);
    for (let v = 0; v < 160; v++) {
      for (let u = 0; u < 160; u++) {
        // Ray against a sphere of radius 25 at distance 120, in closed form.
        const rx = (u - camera.cx) / camera.fx;
        const ry = (v - camera.cy) / camera.fy;
        const a = 1 + rx * rx + ry * ry;
        const root = 120 * 120 - a * (120 * 120 - 625);
        if (root > 0) depth[v * 160 + u] = (120 - Math.sqrt(root)) / a;
      }
    }
    const frame: DepthFrame = { name: 'f', camera, depth, scanFromSensor: pose };
    integrateFrame(field, frame, identity(), { truncation: 2.4, scan: 0 });
  }
  const mesh = marchingCubes(field, 0.05, ctx);
  const d = measureDeviation(mesh.positions, meshOf(sphere(25), 25, 0.5), 5, ctx);
  expect(mesh.indices.length / 3).toBeGreaterThan(2000);
  expect(d.rms).toBeLessThan(0.03);
});

test('a vessel of 300 mm at 0.4 mm is not refused for its number of blocks', () => {
  const field = new SignedField(0.4);
  const side = 1 + Math.ceil(300 / (0.4 * 8));
  let blocks = 0;
  // The blocks of its outside and inside, two deep: only asked for, not filled.
  expect(field.maxBlocks).toBeGreaterThan(2 * 2 * Math.PI * (side / 2) ** 2 * 2);
  for (let b = 0; b < 1000; b++) blocks = Math.max(blocks, field.block(b, 0, 0) + 1);
  expect(blocks).toBe(1000);
  const small = new SignedField(0.4, 10);
  expect(() => {
    for (let b = 0; b < 20; b++) small.block(b, 0, 0);
  }).toThrow(/GB of memory for this object. Choose a coarser/);
});
