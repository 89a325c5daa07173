import { meshOf, sphere } from '../../test/shapes.js';
import { triangleCount, vertexCount, vertexNormals, type TriangleMesh } from '../geometry/index.js';
import { createRandom } from '../math/index.js';
import { enclosedVolume } from '../measure/index.js';
import { findCrossings, inspectTopology } from '../mesh/index.js';
import { createRunContext } from '../runtime/index.js';
import { diagnose, mendFaults, type Fault, type FaultKind } from './index.js';

const ctx = createRunContext();
const ball = meshOf(sphere(20), 20, 1);

/** Several meshes as one, each moved. */
function together(...parts: [TriangleMesh, number, number, number][]): TriangleMesh {
  const positions: number[] = [];
  const indices: number[] = [];
  for (const [mesh, x, y, z] of parts) {
    const base = positions.length / 3;
    mesh.positions.forEach((c, i) => positions.push(c + [x, y, z][i % 3]));
    mesh.indices.forEach((i) => indices.push(base + i));
  }
  return { positions: Float32Array.from(positions), indices: Uint32Array.from(indices) };
}
const turned = (m: TriangleMesh): TriangleMesh => ({ ...m, indices: m.indices.slice().reverse() });
const kinds = (faults: Fault[]): Partial<Record<FaultKind, number>> => {
  const out: Partial<Record<FaultKind, number>> = {};
  for (const { kind } of faults) out[kind] = (out[kind] ?? 0) + 1;
  return out;
};
/** Pulls vertices far out along their normals, far enough from each other. */
function withSpikes(mesh: TriangleMesh, count: number, seed: number): { mesh: TriangleMesh; at: number[] } {
  const random = createRandom(seed);
  const positions = mesh.positions.slice();
  const n = vertexNormals(mesh);
  const at: number[] = [];
  while (at.length < count) {
    const v = Math.floor(random() * vertexCount(mesh));
    const near = at.some((w) => Math.hypot(...[0, 1, 2].map((k) => positions[3 * v + k] - positions[3 * w + k])) < 8);
    if (near) continue;
    at.push(v);
    for (let k = 0; k < 3; k++) positions[3 * v + k] += 4 * n[3 * v + k];
  }
  return { mesh: { ...mesh, positions }, at };
}

test('a ball has no fault', () => {
  expect(diagnose(ball, ctx)).toEqual([]);
});

test('planted spikes are found where they are, and mended to the ball', () => {
  const { mesh, at } = withSpikes(ball, 12, 3);
  const spikes = diagnose(mesh, ctx).filter((f) => f.kind === 'spike');
  expect(spikes).toHaveLength(12);
  for (const v of at) {
    const p = mesh.positions.subarray(3 * v, 3 * v + 3);
    const nearest = Math.min(...spikes.map((f) => Math.hypot(...f.place.map((c, k) => c - p[k]))));
    expect(nearest).toBeLessThan(4.5);
  }
  const r = mendFaults(mesh, spikes, ctx);
  expect(r).toMatchObject({ filled: 12, leftOpen: 0 });
  expect(inspectTopology(r.mesh)).toMatchObject({ watertight: true, euler: 2 });
  expect(findCrossings(r.mesh)).toHaveLength(0);
  expect(diagnose(r.mesh, ctx).filter((f) => f.kind === 'spike')).toEqual([]);
  expect(enclosedVolume(r.mesh) / enclosedVolume(ball)).toBeCloseTo(1, 3);
});

test('two balls that go through each other cross along one curve', () => {
  const faults = diagnose(together([ball, 0, 0, 0], [ball, 31, 3, 2]), ctx);
  expect(kinds(faults)).toEqual({ crossing: 1 });
  // Two balls of 20 mm whose middles stand 31.2 mm apart meet in a circle of 12.5 mm.
  expect(faults[0].size).toBeGreaterThan(25);
  expect(faults[0].size).toBeLessThan(40);
});

test('pieces within, beside and inside out are told apart; each is mended its own way', () => {
  const small = meshOf(sphere(4), 4, 1);
  const tiny = meshOf(sphere(1.5), 1.5, 1);
  const mesh = together([ball, 0, 0, 0], [small, 0, 0, 0], [tiny, 40, 0, 0], [turned(ball), 0, 60, 0]);
  const faults = diagnose(mesh, ctx);
  expect(kinds(faults)).toEqual({ 'inside-out': 1, inner: 1, loose: 1 });
  const loose = faults.find((f) => f.kind === 'loose')!;
  expect(loose.place[0]).toBeGreaterThan(38);
  expect(loose.triangles.length).toBe(triangleCount(tiny));
  const r = mendFaults(mesh, faults, ctx);
  expect(inspectTopology(r.mesh)).toMatchObject({ pieces: 2, watertight: true });
  expect(enclosedVolume(r.mesh) / (2 * enclosedVolume(ball))).toBeCloseTo(1, 6);
  // One alone: the others stay.
  expect(inspectTopology(mendFaults(mesh, [loose], ctx).mesh).pieces).toBe(3);
});

test('an edge of three triangles is one place, and goes with what hangs on it', () => {
  const fin = { ...ball, positions: Float32Array.of(...ball.positions, 0, 0, 40), indices: ball.indices.slice() };
  fin.indices = Uint32Array.of(...ball.indices, ball.indices[0], ball.indices[1], vertexCount(ball));
  const faults = diagnose(fin, ctx);
  expect(kinds(faults).edge).toBe(1);
  const r = mendFaults(
    fin,
    faults.filter((f) => f.kind === 'edge'),
    ctx,
  );
  expect(inspectTopology(r.mesh)).toMatchObject({ watertight: true, nonManifoldEdges: 0 });
});

test('two balls that touch at a vertex are one place', () => {
  const two = together([ball, 0, 0, 0], [ball, 60, 0, 0]);
  const right =
    two.positions.reduce(
      (best, _, i) => (i % 3 === 0 && i < ball.positions.length && two.positions[i] > two.positions[best] ? i : best),
      0,
    ) / 3;
  let left = vertexCount(ball);
  for (let v = left; v < vertexCount(two); v++) if (two.positions[3 * v] < two.positions[3 * left]) left = v;
  const indices = two.indices.map((v) => (v === left ? right : v));
  const faults = diagnose({ ...two, indices }, ctx);
  expect(kinds(faults)).toEqual({ vertex: 1 });
});

test('the same surface always gives the same list', () => {
  const { mesh } = withSpikes(ball, 5, 9);
  expect(diagnose(mesh, ctx)).toEqual(diagnose({ ...mesh, positions: mesh.positions.slice() }, ctx));
});
