import type { PointCloud } from '../geometry/point-cloud.js';
import { PointGrid } from '../spatial/point-grid.js';
import { createRandom } from '../math/index.js';
import { surfaceTrust } from './surface-trust.js';

const CELL = 1;

/** Points about a cell apart, each somewhere in its own, on sheets given by how a place on them lies in space. */
function sheets(...of: { at: (u: number, v: number) => number[]; normal: number[] }[]): PointCloud {
  const random = createRandom(3);
  const positions: number[] = [];
  const normals: number[] = [];
  for (const { at, normal } of of)
    for (let u = 0; u < 30; u++)
      for (let v = 0; v < 30; v++) {
        positions.push(...at(u + 0.7 * random(), v + 0.7 * random()));
        normals.push(...normal);
      }
  return { positions: Float32Array.from(positions), normals: Float32Array.from(normals) };
}

const trustOf = (cloud: PointCloud, onFace?: Uint8Array): Float32Array =>
  surfaceTrust(cloud, new PointGrid(cloud.positions, 1.5 * CELL), CELL, onFace);

function meanWhere(
  cloud: PointCloud,
  trust: Float32Array,
  holds: (x: number, y: number, z: number) => boolean,
): number {
  let sum = 0;
  let count = 0;
  for (let i = 0; i < trust.length; i++) {
    const [x, y, z] = cloud.positions.subarray(3 * i, 3 * i + 3);
    if (!holds(x, y, z)) continue;
    sum += trust[i];
    count++;
  }
  return sum / count;
}

const flat = { at: (u: number, v: number) => [u, v, 0], normal: [0, 0, 1] };

test('a flat sheet is trusted, its rim about half', () => {
  const cloud = sheets(flat);
  const trust = trustOf(cloud, new Uint8Array(900));
  const inner = (v: number): boolean => v > 2 && v < 28;
  expect(meanWhere(cloud, trust, (x, y) => inner(x) && inner(y))).toBeGreaterThan(0.85);
  expect(meanWhere(cloud, trust, (x, y) => x < 0.7 && inner(y))).toBeLessThan(0.55);
  // On a flat face nothing leans at the rim.
  const onFace = trustOf(cloud, new Uint8Array(900).fill(1));
  expect(meanWhere(cloud, onFace, (x, y) => x < 0.7 && inner(y))).toBeGreaterThan(0.95);
});

test('points on a crisp edge of two faces are not trusted either', () => {
  const cloud = sheets(flat, { at: (u: number, v: number) => [-0.2, v, -u - 0.2], normal: [-1, 0, 0] });
  const trust = trustOf(cloud);
  const along = (y: number): boolean => y > 2 && y < 28;
  expect(meanWhere(cloud, trust, (x, y, z) => x < 0.7 && z > -0.9 && along(y))).toBeLessThan(0.4);
  expect(meanWhere(cloud, trust, (x, y) => x > 3 && x < 28 && along(y))).toBeGreaterThan(0.85);
});
