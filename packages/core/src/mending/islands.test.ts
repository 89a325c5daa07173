import { cutOut, meshOf, sphere } from '../../test/shapes.js';
import { compactMesh, type TriangleMesh } from '../geometry/index.js';
import { findCrossings, inspectTopology, labelPieces } from '../mesh/index.js';
import { createRunContext } from '../runtime/index.js';
import { findIslands } from './islands.js';
import { fillHoles, listHoles, mendMesh } from './index.js';

const ctx = createRunContext();
const ball = meshOf(sphere(20), 20, 0.8);
/** A ball with a ring cut out about its pole, `inner` mm to `outer` mm wide. */
const ringed = (inner: number, outer: number): TriangleMesh =>
  compactMesh(cutOut(ball, (x, y, z) => z > 0 && Math.hypot(x, y) > inner && Math.hypot(x, y) < outer));
const worstTo = (m: TriangleMesh): number => {
  let worst = 0;
  for (let v = 0; v < m.positions.length; v += 3)
    worst = Math.max(worst, Math.abs(sphere(20)(m.positions[v], m.positions[v + 1], m.positions[v + 2])));
  return worst;
};
/** The vertices above a height, moved up, or mirrored so that they face the other way. */
function changed(m: TriangleMesh, above: number, change: 'lifted' | 'turned'): TriangleMesh {
  const out = { ...m, positions: m.positions.slice(), indices: m.indices.slice() };
  for (let t = 0; t < m.indices.length; t += 3) {
    if (![0, 1, 2].every((k) => m.positions[3 * m.indices[t + k] + 2] > above)) continue;
    if (change === 'turned') [out.indices[t + 1], out.indices[t + 2]] = [m.indices[t + 2], m.indices[t + 1]];
    else
      for (let k = 0; k < 3; k++) out.positions[3 * m.indices[t + k] + 2] = m.positions[3 * m.indices[t + k] + 2] + 9;
  }
  return out;
}

test('an island is found in its hole, joined to the filling, and stays where it was measured', () => {
  const mesh = ringed(3.5, 10);
  expect(labelPieces(mesh).sizes).toHaveLength(2);
  expect(findIslands(mesh, listHoles(mesh))).toEqual(new Map([[0, [1]]]));
  const r = fillHoles(mesh, {}, ctx);
  expect(r).toMatchObject({ filled: 1, leftOpen: 0, islandsJoined: 1, wouldCross: 0 });
  expect(inspectTopology(r.mesh)).toMatchObject({ watertight: true, euler: 2, pieces: 1 });
  expect(findCrossings(r.mesh)).toHaveLength(0);
  // What was there has not moved, and what was invented follows the ball much better than without the island.
  expect(r.mesh.positions.subarray(0, mesh.positions.length)).toEqual(mesh.positions);
  expect(worstTo(r.mesh)).toBeLessThan(0.3 * worstTo(fillHoles(ringed(0, 10), {}, ctx).mesh));
});

test('several islands in one hole are all joined', () => {
  const at =
    (x: number, y: number): ((p: number, q: number) => boolean) =>
    (p, q) =>
      Math.hypot(p - x, q - y) < 2.6;
  const isles = [at(4.5, 0), at(-4, 3), at(-2, -5)];
  const mesh = compactMesh(
    cutOut(ball, (x, y, z) => z > 0 && Math.hypot(x, y) < 11 && !isles.some((isle) => isle(x, y))),
  );
  const r = fillHoles(mesh, {}, ctx);
  expect(r).toMatchObject({ filled: 1, leftOpen: 0, islandsJoined: 3 });
  expect(inspectTopology(r.mesh)).toMatchObject({ watertight: true, euler: 2, pieces: 1 });
  expect(worstTo(r.mesh)).toBeLessThan(0.2);
});

test('mending keeps an island though it is small, and drops what only hangs over the hole or faces away', () => {
  const kept = mendMesh(ringed(3.5, 10), {}, ctx);
  expect(kept).toMatchObject({ islandsJoined: 1, removedPieces: 0, crossingsLeft: 0 });
  expect(kept.report).toMatchObject({ watertight: true, pieces: 1 });
  for (const change of ['lifted', 'turned'] as const) {
    const dropped = mendMesh(changed(ringed(3.5, 10), 18.9, change), {}, ctx);
    expect([change, dropped.islandsJoined, dropped.removedPieces]).toEqual([change, 0, 1]);
    expect(dropped.report).toMatchObject({ watertight: true, pieces: 1 });
  }
});

test('a filling that is left out by its size leaves its island alone', () => {
  const mesh = ringed(3.5, 10);
  const longest = listHoles(mesh)[0].length;
  const r = fillHoles(mesh, { maxRim: longest - 1, only: [0] }, ctx);
  expect(r).toMatchObject({ filled: 0, islandsJoined: 0, leftOpen: 2 });
});
