import { cutOut, meshOf, sphere } from '../../test/shapes.js';
import { triangleCount, vertexCount, type TriangleMesh } from '../geometry/index.js';
import { enclosedVolume, measureDeviation, surfaceArea } from '../measure/index.js';
import { findCrossings, inspectTopology, simplifyMesh } from '../mesh/index.js';
import { createRunContext } from '../runtime/index.js';
import { carryAttributes, CollapseRule, EditableMesh, reduceMesh } from './index.js';

const ctx = createRunContext();
const ball = meshOf(sphere(20), 20, 0.5);

/** A grid of squares in z = 0 over the unit square, each cut in two, at height z(x, y). */
function sheet(n: number, z: (x: number, y: number) => number = () => 0): TriangleMesh {
  const positions: number[] = [];
  const indices: number[] = [];
  for (let j = 0; j <= n; j++) for (let i = 0; i <= n; i++) positions.push(i / n, j / n, z(i / n, j / n));
  for (let j = 0; j < n; j++) {
    for (let i = 0; i < n; i++) {
      const a = j * (n + 1) + i;
      indices.push(a, a + 1, a + n + 2, a, a + n + 2, a + n + 1);
    }
  }
  return { positions: Float32Array.from(positions), indices: Uint32Array.from(indices) };
}

test('edges are drawn together only where the surface stays a manifold', () => {
  const mesh = new EditableMesh(sheet(6));
  const rule = new CollapseRule(mesh);
  let drawn = 0;
  for (let h = 0; h < mesh.origin.length; h++) {
    if (mesh.origin[h] < 0 || !rule.allows(h)) continue;
    mesh.collapse(h);
    drawn++;
    const { mesh: now } = mesh.compact();
    expect(inspectTopology(now)).toMatchObject({ nonManifoldEdges: 0, nonManifoldVertices: 0, euler: 1, holes: 1 });
    for (let v = 0; v < mesh.leaving.length; v++) {
      if (mesh.leaving[v] >= 0) expect(mesh.origin[mesh.leaving[v]]).toBe(v);
    }
  }
  expect(drawn).toBeGreaterThan(20);
  // A tetrahedron can't lose an edge.
  const tetrahedron = new EditableMesh({
    positions: Float32Array.from([0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0, 1]),
    indices: Uint32Array.from([0, 2, 1, 0, 1, 3, 1, 2, 3, 0, 3, 2]),
  });
  const last = new CollapseRule(tetrahedron);
  for (let h = 0; h < 12; h++) expect(last.allows(h)).toBe(false);
});

test('a box of many triangles becomes the box of twelve', () => {
  const side = 8;
  const faces = [0, 1, 2].flatMap((axis) => [-1, 1].map((sign) => ({ axis, sign })));
  const positions: number[] = [];
  const indices: number[] = [];
  const known = new Map<string, number>();
  for (const { axis, sign } of faces) {
    const { positions: p, indices: i } = sheet(side);
    const vertex = (v: number): number => {
      const corner = [0, 0, 0];
      corner[axis] = sign > 0 ? 30 : 0;
      corner[(axis + 1) % 3] = p[3 * v] * 30;
      corner[(axis + 2) % 3] = p[3 * v + 1] * 30;
      const key = corner.map((x) => x.toFixed(3)).join();
      if (!known.has(key)) known.set(key, positions.push(...corner) / 3 - 1);
      return known.get(key)!;
    };
    for (let t = 0; t < i.length; t += 3) {
      const [a, b, c] = [vertex(i[t]), vertex(i[t + 1]), vertex(i[t + 2])];
      indices.push(a, ...(sign > 0 ? [b, c] : [c, b]));
    }
  }
  const mesh = { positions: Float32Array.from(positions), indices: Uint32Array.from(indices) };
  const light = reduceMesh(mesh, { triangles: 12 }, ctx);
  expect(triangleCount(light)).toBe(12);
  expect(inspectTopology(light)).toMatchObject({ watertight: true, euler: 2 });
  for (const x of light.positions) expect(Math.min(Math.abs(x), Math.abs(x - 30))).toBeLessThan(1e-4);
  expect(enclosedVolume(light)).toBeCloseTo(27_000, 0);
});

test('a ball keeps its volume, crosses nothing, and lies closer than with meshoptimizer', async () => {
  const triangles = 1500;
  const light = reduceMesh(ball, { triangles }, ctx);
  expect(triangleCount(light)).toBe(triangles);
  expect(inspectTopology(light)).toMatchObject({ watertight: true, euler: 2 });
  expect(findCrossings(light)).toHaveLength(0);
  const volume = enclosedVolume(ball);
  expect(Math.abs(enclosedVolume(light) - volume) / volume).toBeLessThan(2e-4);
  const other = await simplifyMesh(ball, triangles);
  const rms = (mesh: TriangleMesh): number => measureDeviation(ball.positions, mesh, 1e9, ctx).rms;
  expect(rms(light)).toBeLessThan(0.6 * rms(other));
});

test('rims keep their shape', () => {
  const light = reduceMesh(sheet(30), { triangles: 2 }, ctx);
  expect(inspectTopology(light)).toMatchObject({ holes: 1, pieces: 1 });
  expect(surfaceArea(light)).toBeCloseTo(1, 4);
  const open = reduceMesh(
    cutOut(ball, (x, y, z) => z > 12),
    { triangles: 1500 },
    ctx,
  );
  expect(inspectTopology(open).holes).toBe(1);
});

test('two sheets close to each other do not come to cross', () => {
  const wave = (x: number, y: number): number => 0.05 * Math.sin(9 * x) * Math.cos(7 * y);
  const lower = sheet(60, wave);
  const upper = sheet(60, (x, y) => wave(x, y) + 0.002);
  const both = {
    positions: Float32Array.from([...lower.positions, ...upper.positions]),
    indices: Uint32Array.from([...lower.indices, ...upper.indices.map((v) => v + vertexCount(lower))]),
  };
  expect(findCrossings(both)).toHaveLength(0);
  const light = reduceMesh(both, { triangles: 700 }, ctx);
  expect(findCrossings(light)).toHaveLength(0);
  expect(triangleCount(light)).toBeLessThan(1500);
});

test('no edge is drawn together beyond the limit of deviation', () => {
  const light = reduceMesh(ball, { triangles: 4, maxDeviation: 0.05 }, ctx);
  expect(triangleCount(light)).toBeLessThan(triangleCount(ball) / 3);
  expect(measureDeviation(ball.positions, light, 1e9, ctx).max).toBeLessThan(0.06);
});

test('what the source knows is carried to the closest places', () => {
  const n = vertexCount(ball);
  const left = (v: number): boolean => ball.positions[3 * v] < 0;
  const source: TriangleMesh = {
    ...ball,
    colors: Uint8Array.from({ length: 3 * n }, (_, i) => (left(Math.floor(i / 3)) ? 200 : 40)),
    invented: Uint8Array.from({ length: n }, (_, v) => (left(v) ? 1 : 0)),
    scanCount: Uint8Array.from({ length: n }, (_, v) => (left(v) ? 0 : 7)),
    expectedError: Float32Array.from({ length: n }, (_, v) => (left(v) ? NaN : 0.02)),
  };
  const { mesh, distances } = carryAttributes(source, reduceMesh(source, { triangles: 2000 }, ctx), ctx);
  for (let v = 0; v < vertexCount(mesh); v++) {
    const x = mesh.positions[3 * v];
    expect(distances[v]).toBeLessThan(0.2);
    if (Math.abs(x) < 1) continue;
    expect([mesh.colors![3 * v], mesh.invented![v], mesh.scanCount![v]]).toEqual(x < 0 ? [200, 1, 0] : [40, 0, 7]);
    if (x < 0) expect(mesh.expectedError![v]).toBeNaN();
    else expect(mesh.expectedError![v]).toBeCloseTo(0.02, 5);
  }
});

/** A disc of so many triangles round one vertex. */
function disc(n: number): TriangleMesh {
  const positions = new Float32Array(3 * (n + 1));
  const indices = new Uint32Array(3 * n);
  for (let i = 0; i < n; i++) {
    positions.set([30 * Math.cos((2 * Math.PI * i) / n), 30 * Math.sin((2 * Math.PI * i) / n), 0], 3 * (i + 1));
    indices.set([0, i + 1, ((i + 1) % n) + 1], 3 * i);
  }
  return { positions, indices };
}

test('a vertex with very many edges is reduced like any other; more than can be held are refused by name', () => {
  const light = reduceMesh(disc(5000), { triangles: 200 }, ctx);
  expect(triangleCount(light)).toBe(200);
  expect(inspectTopology(light)).toMatchObject({ holes: 1, pieces: 1, nonManifoldEdges: 0 });
  expect(surfaceArea(light) / (Math.PI * 900)).toBeCloseTo(1, 2);
  expect(() => new EditableMesh(disc(70_000))).toThrow(/70,?000 edges meet at one vertex/);
});
