import { box, cutOut, meshOf, sphere } from '../../test/shapes.js';
import type { TriangleMesh } from '../geometry/index.js';
import { createRandom } from '../math/index.js';
import { enclosedVolume, measureDeviation } from '../measure/index.js';
import { findCrossings, inspectTopology } from '../mesh/index.js';
import { createRunContext } from '../runtime/index.js';
import { CollapseRule, EditableMesh, evenMesh, measureEdges, previousHalfEdge } from './index.js';

const ctx = createRunContext();
const degrees = (radians: number): number => (radians * 180) / Math.PI;

/** A box of twelve triangles. */
function plainBox(a: number, b: number, c: number): TriangleMesh {
  const positions = Float32Array.from({ length: 24 }, (_, i) => {
    const corner = Math.floor(i / 3);
    return [(corner & 1) * a, ((corner >> 1) & 1) * b, (corner >> 2) * c][i % 3];
  });
  const indices = [
    0, 2, 3, 0, 3, 1, 4, 5, 7, 4, 7, 6, 0, 1, 5, 0, 5, 4, 1, 3, 7, 1, 7, 5, 3, 2, 6, 3, 6, 7, 2, 0, 4, 2, 4, 6,
  ];
  return { positions, indices: Uint32Array.from(indices) };
}

test('edges split, turned and drawn together in any order leave a closed manifold', () => {
  const mesh = new EditableMesh(plainBox(3, 2, 1));
  const rule = new CollapseRule(mesh);
  const random = createRandom(8);
  const p = (v: number): number[] => [0, 1, 2].map((k) => mesh.positions[3 * v + k]);
  for (let step = 0; step < 1500; step++) {
    const h = Math.floor(random() * mesh.halfEdges);
    if (mesh.origin[h] < 0) continue;
    const what = random();
    if (what < 0.45) {
      const [a, b] = [p(mesh.origin[h]), p(mesh.target(h))];
      mesh.split(h, (a[0] + b[0]) / 2, (a[1] + b[1]) / 2, (a[2] + b[2]) / 2);
    } else if (what < 0.7) {
      const [c, d] = [h, mesh.twin[h]].map((e) => mesh.origin[previousHalfEdge(e)]);
      if (c !== d && !rule.joined(c, d)) mesh.flip(h);
    } else if (rule.allows(h)) mesh.collapse(h);
    let wrong = 0;
    for (let e = 0; e < mesh.halfEdges; e++) {
      if (mesh.origin[e] < 0) continue;
      if (mesh.twin[mesh.twin[e]] !== e || mesh.origin[mesh.twin[e]] !== mesh.target(e)) wrong++;
    }
    for (let v = 0; v < mesh.vertices; v++) if (mesh.leaving[v] >= 0 && mesh.origin[mesh.leaving[v]] !== v) wrong++;
    expect(wrong).toBe(0);
    if (step % 100 === 0) expect(inspectTopology(mesh.compact().mesh)).toMatchObject({ watertight: true, euler: 2 });
  }
});

test('a box keeps its edges and corners exactly', () => {
  const source = plainBox(40, 25, 12);
  const mesh = evenMesh(source, { edge: 2 }, ctx);
  const m = measureEdges(mesh);
  expect(m.mean / 2).toBeGreaterThan(0.85);
  expect(m.mean / 2).toBeLessThan(1.15);
  expect(m.spread).toBeLessThan(0.15);
  expect(degrees(m.leastAngle)).toBeGreaterThan(39);
  expect(enclosedVolume(mesh)).toBeCloseTo(40 * 25 * 12, 0);
  expect(inspectTopology(mesh)).toMatchObject({ watertight: true, euler: 2, pieces: 1 });
  expect(findCrossings(mesh)).toHaveLength(0);
});

test('a round body gets even triangles that lie on both sides of it', () => {
  const source = meshOf(sphere(20), 20, 0.5);
  const mesh = evenMesh(source, { edge: 2 }, ctx);
  const m = measureEdges(mesh);
  expect(m.spread).toBeLessThan(0.15);
  expect(degrees(m.leastAngle)).toBeGreaterThan(39);
  const deviation = measureDeviation(source.positions, mesh, 1e9, ctx);
  // A chord of 2 mm stands off by 0.025 mm in its middle.
  expect(deviation.rms).toBeLessThan(0.01);
  expect(Math.abs(deviation.mean)).toBeLessThan(0.003);
  expect(inspectTopology(mesh)).toMatchObject({ watertight: true, euler: 2 });
});

test('a rim stays where it runs, and a bevel that no edge fits into becomes one line', () => {
  const open = cutOut(meshOf(sphere(20), 20, 1), (x, y, z) => z > 12);
  const mesh = evenMesh(open, { edge: 1.5 }, ctx);
  expect(inspectTopology(mesh)).toMatchObject({ holes: 1, pieces: 1, nonManifoldEdges: 0 });
  // Marching cubes bevel the edges of a box by one row of triangles.
  const beveled = meshOf(box(20, 16, 12), 12, 0.5);
  const block = evenMesh(beveled, { edge: 2 }, ctx);
  expect(degrees(measureEdges(block).leastAngle)).toBeGreaterThan(30);
  expect(inspectTopology(block)).toMatchObject({ watertight: true, euler: 2 });
});

test('no edges, no measures', () => {
  expect(measureEdges({ positions: new Float32Array(0), indices: new Uint32Array(0) })).toEqual({
    mean: 0,
    spread: 0,
    leastAngle: 0,
  });
});
