import { box, cutOut, meshOf, sphere, torus } from '../../test/shapes.js';
import { vertexNormals, type TriangleMesh } from '../geometry/index.js';
import { createRandom } from '../math/index.js';
import { createRunContext } from '../runtime/index.js';
import { evenMesh } from '../remeshing/index.js';
import { findSurfaceFaults } from './index.js';

const ctx = createRunContext();
const joined = (...meshes: TriangleMesh[]): TriangleMesh => {
  const positions: number[] = [];
  const indices: number[] = [];
  for (const m of meshes) {
    const before = positions.length / 3;
    positions.push(...m.positions);
    indices.push(...m.indices.map((v) => v + before));
  }
  return { positions: Float32Array.from(positions), indices: Uint32Array.from(indices) };
};
const moved = (m: TriangleMesh, x: number): TriangleMesh => ({
  ...m,
  positions: m.positions.map((c, i) => (i % 3 === 0 ? c + x : c)),
});
const even = (m: TriangleMesh): TriangleMesh => evenMesh(m, { edge: 1.2 }, ctx);

test('tunnels are counted by piece, rims aside (Euler)', () => {
  const ring = meshOf(torus(15, 5), 21, 1);
  const open = cutOut(meshOf(sphere(10), 11, 1), (x, y, z) => Math.abs(z) > 7);
  const { pieces } = findSurfaceFaults(joined(ring, moved(open, 60)));
  expect(pieces.map((p) => [p.tunnels, p.rims, p.inner])).toEqual([
    [1, 0, false],
    [0, 2, false],
  ]);
  // 2 π² R r²
  expect(pieces[0].volume / (2 * Math.PI ** 2 * 15 * 25)).toBeCloseTo(1, 1);
  expect(pieces[1].volume).toBeNaN();
});

test('pieces within others are found, those beside or in the hole of a ring are not', () => {
  const ball = meshOf(sphere(3), 4, 0.7);
  const ring = meshOf(torus(15, 5), 21, 1);
  const hull = meshOf(box(60, 60, 60), 31, 3);
  const faults = (m: TriangleMesh): boolean[] => findSurfaceFaults(m).pieces.map((p) => p.inner);
  expect(faults(joined(ring, ball))).toEqual([false, false]);
  expect(faults(joined(ring, moved(ball, 15)))).toEqual([false, true]);
  expect(faults(joined(hull, ring, ball, moved(ball, 80)))).toEqual([false, true, true, false]);
  const inward = { ...ball, indices: ball.indices.slice().reverse() };
  expect(findSurfaceFaults(inward).pieces[0].volume).toBeLessThan(0);
});

test('all planted spikes and slivers are found, and hardly anything else', () => {
  const random = createRandom(11);
  for (const clean of [even(meshOf(sphere(20), 21, 1)), even(meshOf(box(30, 24, 18), 16, 1))]) {
    expect(findSurfaceFaults(clean)).toMatchObject({ slivers: new Uint32Array(0), spikes: new Uint32Array(0) });
    const n = clean.positions.length / 3;
    const spiky = { ...clean, positions: clean.positions.slice() };
    const normals = vertexNormals(clean);
    const place = (v: number): Float32Array => clean.positions.subarray(3 * v, 3 * v + 3);
    const planted = new Set<number>();
    while (planted.size < 50) {
      const v = Math.floor(random() * n);
      const [x, y, z] = place(v);
      // Beside one another they would make a ridge.
      if ([...planted].some((u) => Math.hypot(x - place(u)[0], y - place(u)[1], z - place(u)[2]) < 3)) continue;
      planted.add(v);
      // Three edges out or more.
      const out = 3.6 + 4 * random();
      for (let k = 0; k < 3; k++) spiky.positions[3 * v + k] += out * normals[3 * v + k];
    }
    const found = Array.from(findSurfaceFaults(spiky).spikes);
    expect(found.filter((v) => planted.has(v)).length).toBeGreaterThanOrEqual(49);
    expect(found.filter((v) => !planted.has(v)).length).toBeLessThanOrEqual(1);
    // A vertex put almost on the edge across from it.
    const flat = { ...clean, positions: clean.positions.slice() };
    const t = 3 * Math.floor(random() * (clean.indices.length / 3));
    const [a, b, c] = [0, 1, 2].map((k) => 3 * clean.indices[t + k]);
    for (let k = 0; k < 3; k++)
      flat.positions[a + k] =
        0.99 * (0.5 * flat.positions[b + k] + 0.5 * flat.positions[c + k]) + 0.01 * flat.positions[a + k];
    expect(findSurfaceFaults(flat).slivers).toContain(t / 3);
  }
});

test('hundreds of crumbs in the box of a piece are told from those within it, and do not cost a walk over it each', () => {
  const ring = meshOf(torus(15, 5), 21, 0.5);
  const crumb: TriangleMesh = {
    positions: Float32Array.from([0, 0, 0, 0.2, 0, 0, 0, 0.2, 0, 0, 0, 0.2]),
    indices: Uint32Array.from([0, 2, 1, 0, 1, 3, 0, 3, 2, 1, 2, 3]),
  };
  const at = (x: number, y: number, z: number): TriangleMesh => ({
    ...crumb,
    positions: crumb.positions.map((c, i) => c + [x, y, z][i % 3]),
  });
  const crumbs: TriangleMesh[] = [];
  for (let i = 0; i < 400; i++) {
    const angle = (2 * Math.PI * i) / 400;
    // Every other one in the hole of the ring, the rest in its flesh.
    const r = i % 2 ? 15 : 6;
    crumbs.push(at(r * Math.cos(angle), r * Math.sin(angle), 0.1));
  }
  const { pieces } = findSurfaceFaults(joined(ring, ...crumbs));
  expect(pieces.map((p) => p.inner)).toEqual([false, ...crumbs.map((_, i) => i % 2 === 1)]);
});
