import { box, cutOut, meshOf, sphere } from '../../test/shapes.js';
import { compactMesh, type TriangleMesh } from '../geometry/index.js';
import { createRunContext } from '../runtime/index.js';
import { measureDeviation } from '../measure/index.js';
import {
  evenRims,
  inspectTopology,
  labelPieces,
  makeManifold,
  rasterizeDepth,
  removeFragments,
  simplifyMesh,
} from './index.js';

const ctx = createRunContext();
const ball = meshOf(sphere(20), 20, 1);

test('faults are found and mended', () => {
  // Two tetrahedra that share an edge (four triangles at it) and one triangle standing twice.
  const faulty: TriangleMesh = {
    positions: Float32Array.from([0, 0, 0, 10, 0, 0, 0, 10, 0, 0, 0, 10, 0, -10, 0, 0, 0, -10]),
    indices: Uint32Array.from([0, 2, 1, 0, 1, 3, 1, 2, 3, 0, 3, 2, 0, 4, 1, 0, 1, 5, 1, 4, 5, 0, 5, 4, 0, 5, 4]),
  };
  expect(inspectTopology(faulty).nonManifoldEdges).toBeGreaterThan(0);
  const r = makeManifold(faulty);
  const report = inspectTopology(r.mesh);
  expect(report.nonManifoldEdges).toBe(0);
  expect(report.nonManifoldVertices).toBe(0);
  expect(r.degenerate).toBe(1);
});

test('a fin of two opposite triangles goes as a whole, a doubled sheet that stands alone keeps one side', () => {
  // A tetrahedron with a fin of two folds on one of its edges; apart from it a sheet of two triangles, doubled.
  const positions = new Float32Array([
    0,
    0,
    0,
    9,
    0,
    0,
    0,
    9,
    0,
    0,
    0,
    9,
    9,
    9,
    9,
    18,
    9,
    9,
    ...[50, 0, 0, 59, 0, 0, 59, 9, 0, 50, 9, 0],
  ]);
  const solid = [0, 2, 1, 0, 1, 3, 1, 2, 3, 0, 3, 2];
  const fin = [1, 2, 4, 2, 1, 4, 1, 4, 5, 4, 1, 5];
  const sheet = [6, 7, 8, 7, 6, 8, 6, 8, 9, 8, 6, 9];
  const r = makeManifold({ positions, indices: Uint32Array.from([...solid, ...fin, ...sheet]) });
  expect(r.degenerate).toBe(6);
  expect(r.nonManifold).toBe(0);
  expect(r.mesh.indices.length / 3).toBe(6);
  expect(labelPieces(r.mesh).sizes.sort()).toEqual([2, 4]);
});

test('two cones touching in a point are split there', () => {
  const cones: TriangleMesh = {
    positions: Float32Array.from([0, 0, 0, 10, 0, 10, 0, 10, 10, -10, -10, 10, 10, 0, -10, 0, 10, -10, -10, -10, -10]),
    indices: Uint32Array.from([0, 1, 2, 0, 2, 3, 0, 3, 1, 0, 5, 4, 0, 6, 5, 0, 4, 6]),
  };
  expect(inspectTopology(cones).nonManifoldVertices).toBe(1);
  const r = makeManifold(cones);
  expect(r.splitVertices).toBe(1);
  expect(inspectTopology(r.mesh)).toMatchObject({ nonManifoldVertices: 0, pieces: 2 });
});

test('fragments go by size', () => {
  const small = meshOf(box(4, 4, 4), 4, 1);
  const both: TriangleMesh = {
    positions: Float32Array.from([...ball.positions, ...small.positions.map((v, i) => v + (i % 3 === 0 ? 60 : 0))]),
    indices: Uint32Array.from([...ball.indices, ...small.indices.map((v) => v + ball.positions.length / 3)]),
  };
  expect(inspectTopology(both).pieces).toBe(2);
  expect(removeFragments(both, 0.001).removedPieces).toBe(0);
  expect(inspectTopology(removeFragments(both, 0.1).mesh)).toMatchObject({ pieces: 1, watertight: true });
});

test('simplifying reaches its number and stays close', async () => {
  const mesh = await simplifyMesh(ball, 1500);
  expect(mesh.indices.length / 3).toBeLessThanOrEqual(1500);
  expect(measureDeviation(ball.positions, mesh, 10, ctx).max).toBeLessThan(0.5);
  expect(inspectTopology(mesh)).toMatchObject({ watertight: true, euler: 2 });
});

test('ragged rims are trimmed', () => {
  const ragged = compactMesh(cutOut(ball, (x, y, z) => z > 12 + 1.5 * Math.sin(9 * Math.atan2(y, x))));
  expect(evenRims(ragged, 5).indices.length).toBeLessThan(ragged.indices.length);
});

test('the depth of a sphere is that of the ray through the pixel', () => {
  const camera = { width: 101, height: 101, fx: 100, fy: 100, cx: 50, cy: 50 };
  const m = Float64Array.from([1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 100, 1]);
  const { depth, triangle } = rasterizeDepth(ball, m, camera);
  expect(depth[50 * 101 + 50]).toBeCloseTo(80, 1);
  expect(depth[0]).toBe(0);
  expect(triangle[0]).toBe(-1);
});
