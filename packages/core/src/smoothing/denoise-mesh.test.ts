import { box, cutOut, meshOf, sphere } from '../../test/shapes.js';
import { vertexCount, vertexNormals, type TriangleMesh } from '../geometry/index.js';
import { createRandom } from '../math/index.js';
import { inspectTopology } from '../mesh/index.js';
import { createRunContext } from '../runtime/index.js';
import { denoiseMesh } from './index.js';

const ctx = createRunContext();
const NOISE = 0.08;

function withNoise(mesh: TriangleMesh, seed: number): TriangleMesh {
  const random = createRandom(seed);
  const normals = vertexNormals(mesh);
  const positions = mesh.positions.slice();
  for (let v = 0; v < vertexCount(mesh); v++) {
    const d = NOISE * Math.sqrt(-2 * Math.log(1 - random())) * Math.cos(2 * Math.PI * random());
    for (let k = 0; k < 3; k++) positions[3 * v + k] += d * normals[3 * v + k];
  }
  return { ...mesh, positions };
}

/** Distance of the vertices from a surface given by its distance function, root mean square. */
function rms({ positions: p }: TriangleMesh, f: (x: number, y: number, z: number) => number): number {
  let sum = 0;
  for (let v = 0; v < p.length; v += 3) sum += f(p[v], p[v + 1], p[v + 2]) ** 2;
  return Math.sqrt((3 * sum) / p.length);
}

test('a ball loses two thirds of its noise, which is found as large as it is, and not its size', () => {
  const shape = sphere(20);
  const noisy = withNoise(meshOf(shape, 20, 1), 1);
  const before = rms(noisy, shape);
  const { mesh, moved, noise } = denoiseMesh(noisy, {}, ctx);
  expect(noise / NOISE).toBeGreaterThan(0.8);
  expect(noise / NOISE).toBeLessThan(1.2);
  expect(rms(mesh, shape)).toBeLessThan(before / 3);
  const p = mesh.positions;
  let mean = 0;
  for (let v = 0; v < p.length; v += 3) mean += (3 * shape(p[v], p[v + 1], p[v + 2])) / p.length;
  expect(Math.abs(mean)).toBeLessThan(0.1 * NOISE);
  expect(Math.max(...moved)).toBeLessThan(5 * NOISE);
  expect(mesh.indices).toBe(noisy.indices);
});

test('a block keeps its edges', () => {
  const shape = box(24, 20, 16);
  const clean = meshOf(shape, 16, 0.8);
  const noisy = withNoise(clean, 2);
  const { mesh } = denoiseMesh(noisy, {}, ctx);
  expect(rms(mesh, shape)).toBeLessThan(0.5 * rms(noisy, shape));
  // Corners and edges would be the first to shrink.
  const reach = (m: TriangleMesh): number => {
    let most = 0;
    for (let v = 0; v < m.positions.length; v += 3)
      most = Math.max(most, Math.hypot(m.positions[v], m.positions[v + 1], m.positions[v + 2]));
    return most;
  };
  expect(reach(mesh)).toBeGreaterThan(reach(clean) - 3 * NOISE);
});

test('nothing moves further than asked, rims not at all, and a clean surface hardly', () => {
  const open = withNoise(
    cutOut(meshOf(sphere(20), 20, 1), (x, y, z) => z > 12),
    3,
  );
  const { mesh, moved } = denoiseMesh(open, { within: 0.05 }, ctx);
  expect(Math.max(...moved)).toBeLessThan(0.0501);
  expect(inspectTopology(mesh).boundaryEdges).toBe(inspectTopology(open).boundaryEdges);
  const sides = new Map<string, number>();
  for (let h = 0; h < open.indices.length; h++) {
    const [a, b] = [open.indices[h], open.indices[h % 3 === 2 ? h - 2 : h + 1]];
    const key = a < b ? `${a} ${b}` : `${b} ${a}`;
    sides.set(key, (sides.get(key) ?? 0) + 1);
  }
  const rim = [...sides].filter(([, n]) => n === 1).flatMap(([key]) => key.split(' ').map(Number));
  expect(rim.length).toBeGreaterThan(100);
  expect(rim.every((v) => moved[v] === 0)).toBe(true);
  const clean = meshOf(sphere(20), 20, 1);
  expect(rms(denoiseMesh(clean, {}, ctx).mesh, sphere(20))).toBeLessThan(0.01);
});

test('a mesh of one triangle, or of none, comes back as it was', () => {
  for (const indices of [[0, 1, 2], []]) {
    const mesh = { positions: Float32Array.from([0, 0, 0, 1, 0, 0, 0, 1, 0]), indices: Uint32Array.from(indices) };
    expect(Array.from(denoiseMesh(mesh, {}, ctx).mesh.positions)).toEqual(Array.from(mesh.positions));
  }
});
