import {
  BoxGeometry,
  ConeGeometry,
  CylinderGeometry,
  LatheGeometry,
  PlaneGeometry,
  SphereGeometry,
  TorusGeometry,
  Vector2,
  type BufferGeometry,
} from 'three';
import { vertexCount, vertexNormals, type TriangleMesh } from '../geometry/triangle-mesh.js';
import {
  fromAxisAngle,
  fromTranslation,
  multiply,
  rotateVector,
  transformPoint,
  transformPoints,
  type Vec3,
} from '../math/mat4.js';
import { weldVertices } from '../mesh/weld-vertices.js';
import { capacity, cutSurface, flatCurve, heldUpTo, sectionPlane, SurfacePaths, WallThickness } from './index.js';

// What sections, ways, walls and vessels measure, against closed forms (I. Bronshtein, K. Semendyayev, Handbook of
// Mathematics) on meshes that three.js made of the same shapes.

function meshOf(geometry: BufferGeometry, place = fromTranslation(0, 0, 0)): TriangleMesh {
  // Seams come together once what the sine of a full turn leaves over is rounded off.
  const positions = Float32Array.from(geometry.getAttribute('position').array, (v) => Math.round(v * 1e5) / 1e5);
  const mesh = weldVertices({ positions, indices: Uint32Array.from(geometry.getIndex()!.array) });
  return { ...mesh, positions: transformPoints(place, mesh.positions) };
}

function nearest({ positions: p }: TriangleMesh, [x, y, z]: Vec3): number {
  let best = 0;
  let least = Infinity;
  for (let v = 0; v < p.length / 3; v++) {
    const d = (p[3 * v] - x) ** 2 + (p[3 * v + 1] - y) ** 2 + (p[3 * v + 2] - z) ** 2;
    if (d < least) [least, best] = [d, v];
  }
  return best;
}

const placeOf = ({ positions: p }: TriangleMesh, v: number): Vec3 => [p[3 * v], p[3 * v + 1], p[3 * v + 2]];

/** Is a value within a share of what it should be? */
const about = (value: number, truth: number, share = 0.002): void =>
  expect([value, Math.abs(value / truth - 1) <= share]).toEqual([value, true]);

test('sections of a ball, a box and a ring have the areas and lengths of their formulas', () => {
  const away = multiply(fromTranslation(300, -200, 90), fromAxisAngle([0.6, 0, 0.8], 0.7));
  const up = rotateVector(away, 0, 0, 1);
  const at = (x: number, y: number, z: number): Vec3 => transformPoint(away, x, y, z);
  const ball = cutSurface(meshOf(new SphereGeometry(20, 256, 160), away), sectionPlane(at(0, 0, 7.3), up));
  expect([ball.curves.length, ball.openCurves]).toEqual([1, 0]);
  about(ball.area, Math.PI * (400 - 7.3 ** 2));
  about(ball.length, 2 * Math.PI * Math.sqrt(400 - 7.3 ** 2));
  const box = cutSurface(meshOf(new BoxGeometry(30, 20, 10), away), sectionPlane(at(2, 1, 3), up));
  expect(box.area).toBeCloseTo(600, 2);
  expect(box.length).toBeCloseTo(100, 3);
  // Across the middle of a ring lie two outlines: its outer one, and its hole, which counts against it.
  const ring = cutSurface(meshOf(new TorusGeometry(30, 8, 256, 256), away), sectionPlane(at(0, 0, 0), up));
  expect(ring.curves.map((c) => Math.sign(c.area))).toEqual([1, -1]);
  about(ring.area, Math.PI * (38 ** 2 - 22 ** 2));
  about(ring.length, 2 * Math.PI * 60);
});

test('a section off the object is empty, one through a vertex or along a face is whole, a rim leaves its curve open', () => {
  const box = meshOf(new BoxGeometry(30, 20, 10, 3, 2, 2));
  expect(cutSurface(box, sectionPlane([0, 0, 20], [0, 0, 1])).curves).toEqual([]);
  const along = cutSurface(box, sectionPlane([0, 0, 5], [0, 0, 1]));
  expect([along.openCurves, Math.round(along.area)]).toEqual([0, 600]);
  const throughVertices = cutSurface(box, sectionPlane([0, 0, 0], [0, 0, 1]));
  expect([throughVertices.curves.length, Math.round(throughVertices.area)]).toEqual([1, 600]);
  const sheet = cutSurface(meshOf(new PlaneGeometry(10, 10, 4, 4)), sectionPlane([0.3, 0, 0], [1, 0, 0]));
  expect([sheet.openCurves, sheet.area, Math.round(1000 * sheet.length)]).toEqual([1, 0, 10_000]);
  expect(() => sectionPlane([0, 0, 0], [0, 0, 0])).toThrow(/direction/);
});

test('a section lies as one would draw it: to the right is right, up is up', () => {
  expect(sectionPlane([0, 0, 0], [0, 0, 5])).toMatchObject({ u: [1, 0, 0], v: [0, 1, 0] });
  const front = sectionPlane([0, 0, 0], [0, -1, 0]);
  expect([front.u, front.v].map((d) => d.map((c) => Math.round(c) + 0))).toEqual([
    [1, 0, 0],
    [0, 0, 1],
  ]);
  const box = cutSurface(meshOf(new BoxGeometry(30, 20, 10)), front);
  const flat = flatCurve(box.curves[0], front);
  const xs = flat.filter((_, i) => i % 2 === 0);
  expect([Math.min(...xs), Math.max(...xs)]).toEqual([-15, 15]);
});

test('ways along a surface are as long as on the surface unrolled', () => {
  const way = (mesh: TriangleMesh, a: Vec3, b: Vec3) => {
    const [from, to] = [nearest(mesh, a), nearest(mesh, b)];
    const found = new SurfacePaths(mesh).between(from, to);
    let along = 0;
    const p = found.points;
    for (let i = 3; i < p.length; i += 3)
      along += Math.hypot(p[i] - p[i - 3], p[i + 1] - p[i - 2], p[i + 2] - p[i - 1]);
    // What is drawn is what was measured.
    about(along, found.length, 1e-4);
    return { length: found.length, from: placeOf(mesh, from), to: placeOf(mesh, to) };
  };
  const tube = meshOf(new CylinderGeometry(15, 15, 60, 256, 60));
  const screw = way(tube, [15, -20, 0], [-10, 22, 11]);
  const turned = Math.abs(Math.atan2(screw.to[2], screw.to[0]) - Math.atan2(screw.from[2], screw.from[0]));
  about(screw.length, Math.hypot(15 * turned, screw.to[1] - screw.from[1]));
  const globe = way(meshOf(new SphereGeometry(20, 200, 120)), [14, 12, 7], [-9, -3, 17]);
  const cosine = globe.from.reduce((s, c, k) => s + c * globe.to[k], 0) / 400;
  about(globe.length, 20 * Math.acos(cosine));
  // From a corner of a box to the one opposite: the shortest of the three ways over two faces.
  const box = way(meshOf(new BoxGeometry(30, 20, 10, 15, 10, 5)), [-15, -10, -5], [15, 10, 5]);
  about(box.length, Math.hypot(30, 20 + 10), 1e-5);
  // A cone unrolled is a sector; here the way round is longer than the chord of it.
  const cone = way(meshOf(new ConeGeometry(20, 48, 256, 64)), [12, 0, 10], [-3, -20, 15]);
  const slant = (p: Vec3): number => Math.hypot(p[0], p[2], 24 - p[1]);
  const round = Math.abs(Math.atan2(cone.to[2], cone.to[0]) - Math.atan2(cone.from[2], cone.from[0])) * (20 / 52);
  const [a, b] = [slant(cone.from), slant(cone.to)];
  about(cone.length, Math.sqrt(a * a + b * b - 2 * a * b * Math.cos(round)));
});

test('a way to itself has no length, one that nothing connects is refused', () => {
  const two = meshOf(new BoxGeometry(10, 10, 10));
  const n = vertexCount(two);
  const apart: TriangleMesh = {
    positions: Float32Array.from([...two.positions, ...two.positions.map((v) => v + 100)]),
    indices: Uint32Array.from([...two.indices, ...two.indices.map((v) => v + n)]),
  };
  const ways = new SurfacePaths(apart);
  expect(ways.between(0, 0).length).toBe(0);
  expect(() => ways.between(0, n)).toThrow(/does not connect/);
  expect(() => ways.between(0, -4)).toThrow(/no vertex/);
});

/** Balls at all vertices. */
function thicknesses(mesh: TriangleMesh): Float64Array {
  const walls = new WallThickness(mesh);
  const n = vertexNormals(mesh);
  const at = (from: Float32Array, v: number): Vec3 => [from[3 * v], from[3 * v + 1], from[3 * v + 2]];
  return Float64Array.from({ length: vertexCount(mesh) }, (_, v) =>
    walls.at(at(mesh.positions, v), at(n, v), 'ball', 100),
  );
}

test('walls: of a plate, a shell and a ball', () => {
  const plate = new WallThickness(meshOf(new BoxGeometry(60, 40, 3, 60, 40, 3)));
  for (const method of ['ball', 'ray'] as const) {
    expect(plate.at([4, 5, 1.5], [0, 0, 1], method, 50)).toBeCloseTo(3, 3);
    expect(plate.at([4, 5, 1.5], [0, 0, 1], method, 2)).toBeNaN();
  }
  // Near its edge a plate has room for smaller balls only; straight through it is as thick as anywhere.
  expect(plate.at([29.5, 0, 1.5], [0, 0, 1], 'ball', 50)).toBeCloseTo(1, 1);
  expect(plate.at([29.5, 0, 1.5], [0, 0, 1], 'ray', 50)).toBeCloseTo(3, 3);
  const ball = thicknesses(meshOf(new SphereGeometry(20, 48, 24)));
  const sorted = ball.slice().sort();
  about(sorted[sorted.length >> 1], 40, 0.01);
  const outer = meshOf(new SphereGeometry(20, 96, 48));
  const inner = meshOf(new SphereGeometry(18, 96, 48));
  const shell: TriangleMesh = {
    positions: Float32Array.from([...outer.positions, ...inner.positions]),
    indices: Uint32Array.from([...outer.indices, ...inner.indices.toReversed().map((v) => v + vertexCount(outer))]),
  };
  const walls = thicknesses(shell).slice(0, vertexCount(outer)).sort();
  about(walls[walls.length >> 1], 2, 0.01);
});

test('a beaker holds what its inside has room for, up to its rim', () => {
  // Outside 20, inside 18 mm in radius; floor 3 mm thick, rim at 50 mm.
  const profile = [
    new Vector2(0, 0),
    new Vector2(20, 0),
    new Vector2(20, 50),
    new Vector2(18, 50),
    new Vector2(18, 3),
    new Vector2(0, 3),
  ];
  const upright = fromAxisAngle([1, 0, 0], Math.PI / 2);
  const beaker = meshOf(new LatheGeometry(profile, 512), upright);
  const filled = (level: number): number => Math.PI * 18 ** 2 * (level - 3);
  about(heldUpTo(beaker, 30), filled(30), 3e-4);
  expect(heldUpTo(beaker, 51)).toBe(0);
  expect(heldUpTo(beaker, 2)).toBe(0);
  const most = capacity(beaker);
  about(most.level, 50, 1e-4);
  about(most.volume, filled(50));
  // A ball that is closed all round holds nothing that could be poured.
  expect(capacity(meshOf(new SphereGeometry(10, 32, 16))).volume).toBe(0);
});
