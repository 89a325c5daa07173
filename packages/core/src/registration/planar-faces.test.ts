import type { PointCloud } from '../geometry/point-cloud.js';
import {
  fromTwist,
  invertRigid,
  multiply,
  rotateVectors,
  rotationAngle,
  transformPoints,
  type Vec3,
} from '../math/mat4.js';
import { createRandom, gaussian } from '../math/random.js';
import { PointGrid } from '../spatial/point-grid.js';
import { matchFaces } from './face-hypotheses.js';
import { normalSpaceOrder } from './normal-space-order.js';
import { findPlanarFaces, snapNormals } from './planar-faces.js';
import { surfaceTrust } from './surface-trust.js';

/** Three visible faces of a box of 30 × 20 × 12 mm, a point each millimetre, normals with noise. */
function boxCorner(seed: number): PointCloud {
  const random = createRandom(seed);
  const positions: number[] = [];
  const normals: number[] = [];
  const face = (a: number, b: number, place: (u: number, v: number) => Vec3, normal: Vec3): void => {
    for (let u = 0.5; u < a; u++) {
      for (let v = 0.5; v < b; v++) {
        const off = 0.02 * gaussian(random);
        positions.push(...place(u, v).map((x, k) => x + off * normal[k]));
        const n = normal.map((x) => x + 0.02 * gaussian(random));
        normals.push(...n.map((x) => x / Math.hypot(...n)));
      }
    }
  };
  face(30, 20, (u, v) => [u, v, 12], [0, 0, 1]);
  face(30, 12, (u, v) => [u, 0, v], [0, -1, 0]);
  face(20, 12, (u, v) => [0, u, v], [-1, 0, 0]);
  return { positions: Float32Array.from(positions), normals: Float32Array.from(normals) };
}

const inOrder = (cloud: PointCloud): Uint32Array =>
  Uint32Array.from({ length: cloud.positions.length / 3 }, (_, i) => i);

function shuffled(cloud: PointCloud): Uint32Array {
  const random = createRandom(9);
  return inOrder(cloud)
    .map((i) => i)
    .sort(() => random() - 0.5);
}

test('the faces of a box are found with their share, and their points get one normal', () => {
  const cloud = boxCorner(1);
  const faces = findPlanarFaces(cloud, shuffled(cloud), 0.2, createRandom(2));
  expect(faces).toHaveLength(3);
  expect(faces[0].normal[2]).toBeGreaterThan(0.999);
  expect(faces[0].offset).toBeCloseTo(12, 1);
  expect(faces[0].share).toBeCloseTo(600 / 1200, 1);
  snapNormals(cloud, faces, 0.2);
  const onTop = cloud.normals!.subarray(0, 3 * 600);
  expect(new Set(onTop.filter((_, i) => i % 3 === 2)).size).toBe(1);
});

test('a ball has no flat faces', () => {
  const positions = new Float32Array(3 * 3000);
  for (let i = 0; i < 3000; i++) {
    const z = 1 - (2 * i + 1) / 3000;
    const a = i * 2.399963;
    positions.set([Math.sqrt(1 - z * z) * Math.cos(a), Math.sqrt(1 - z * z) * Math.sin(a), z], 3 * i);
  }
  const cloud = { positions: positions.map((v) => 20 * v), normals: positions };
  expect(findPlanarFaces(cloud, shuffled(cloud), 0.3, createRandom(2))).toEqual([]);
});

test('three faces onto three others give the motion between two views of a box', () => {
  const source = boxCorner(1);
  const moved = fromTwist(0.4, -0.7, 0.3, 15, -8, 40);
  const other = boxCorner(5);
  const target = {
    positions: transformPoints(moved, other.positions),
    normals: rotateVectors(moved, other.normals!),
  };
  const [a, b] = [source, target].map((c) => findPlanarFaces(c, shuffled(c), 0.2, createRandom(2)));
  const found = matchFaces(a, b, 2, 10);
  const close = found.filter(({ targetFromSource }) => {
    const d = multiply(invertRigid(moved), targetFromSource);
    return rotationAngle(d) < 0.01 && Math.hypot(d[12], d[13], d[14]) < 0.3;
  });
  expect(close).toHaveLength(1);
  // A box falls onto itself with its faces exchanged, never mirrored: three ways to turn a corner.
  expect(found.length).toBeLessThanOrEqual(3);
});

test('points on crisp edges are trusted less than those on faces', () => {
  const cloud = boxCorner(1);
  const trust = surfaceTrust(cloud, new PointGrid(cloud.positions, 1.5), 1);
  const at = (x: number, y: number): number => trust[20 * (x - 0.5) + (y - 0.5)];
  expect(at(15.5, 10.5)).toBeGreaterThan(0.95);
  expect(at(15.5, 0.5)).toBeLessThan(0.6 * at(15.5, 10.5));
});

test('every prefix has as many normals of the small faces as of the large one, and all points come once', () => {
  const cloud = boxCorner(1);
  const shuffle = shuffled(cloud);
  const order = normalSpaceOrder(cloud, shuffle, new Float32Array(1200).fill(1));
  const counts = [0, 0, 0];
  for (const i of order.subarray(0, 300)) counts[i < 600 ? 0 : i < 960 ? 1 : 2]++;
  const before = [0, 0, 0];
  for (const i of shuffle.subarray(0, 300)) before[i < 600 ? 0 : i < 960 ? 1 : 2]++;
  expect(counts[2]).toBeGreaterThan(1.2 * before[2]);
  expect([...order].sort((x, y) => x - y)).toEqual([...inOrder(cloud)]);
});
