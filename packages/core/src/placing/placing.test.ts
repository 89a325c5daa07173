import { BoxGeometry, CylinderGeometry, PlaneGeometry, SphereGeometry, type BufferGeometry } from 'three';
import type { Shape } from '../fitting/shape.js';
import type { TriangleMesh } from '../geometry/triangle-mesh.js';
import {
  fromAxisAngle,
  fromTranslation,
  identity,
  isRigid,
  multiply,
  transformPoint,
  transformPoints,
  type Mat4,
  type Vec3,
} from '../math/mat4.js';
import { createRandom } from '../math/random.js';
import { weldVertices } from '../mesh/weld-vertices.js';
import { GeometryError } from '../runtime/geometry-error.js';
import { createRunContext } from '../runtime/run-context.js';
import {
  findTightest,
  layOn,
  moveUntilTouching,
  PlacingGround,
  plainPlacings,
  QUICK,
  setDown,
  THOROUGH,
  wayBetween,
  type FoundPlacing,
} from './index.js';

// Values in closed form: box on box, ball in ball, ball in a tube, a plate that is seen from one side.

const meshOf = (g: BufferGeometry, place: Mat4 = identity()): TriangleMesh => {
  const mesh = weldVertices({
    positions: Float32Array.from(g.getAttribute('position').array, (v) => Math.round(v * 1e5) / 1e5),
    indices: Uint32Array.from(g.getIndex()!.array),
  });
  return { ...mesh, positions: transformPoints(place, mesh.positions) };
};
const together = (...all: TriangleMesh[]): TriangleMesh => {
  const positions: number[] = [];
  const indices: number[] = [];
  for (const m of all) {
    const first = positions.length / 3;
    positions.push(...m.positions);
    indices.push(...[...m.indices].map((v) => v + first));
  }
  return { positions: Float32Array.from(positions), indices: Uint32Array.from(indices) };
};
const box = (x: number, y: number, z: number, parts = 1): TriangleMesh =>
  meshOf(new BoxGeometry(x, y, z, parts, parts, parts));
const ball = (radius: number, fineness = 96): TriangleMesh =>
  meshOf(new SphereGeometry(radius, 2 * fineness, fineness));
const look = (piece: TriangleMesh, scene: TriangleMesh, m: Mat4): FoundPlacing =>
  new PlacingGround(piece, scene).look(m, THOROUGH);
const turned = multiply(fromAxisAngle([0.3, 0.5, 0.8], 0.7), fromTranslation(0, 0, 0));

test('box beside box: how near, and where', () => {
  const found = look(box(10, 10, 10), box(40, 40, 10), fromTranslation(3, 4, 12.5));
  expect(found.state).toBe('clear');
  expect(found.clearance.distance).toBeCloseTo(2.5, 5);
  expect([found.clearance.onPiece[2], found.clearance.onScene[2]]).toEqual([7.5, 5]);
  expect(found.clash).toBeUndefined();
});

test.each([
  ['coarse', 1],
  ['fine', 12],
])('box in box, %s triangles: depth and volume', (_name, parts) => {
  // A corner of 6 × 6 × 1 mm is in the same place.
  const found = look(box(20, 20, 20, parts), box(40, 40, 10, parts), fromTranslation(24, 24, 14));
  expect(found.state).toBe('clash');
  expect(found.clash!.depth).toBeCloseTo(1, 2);
  expect(found.clash!.within).toBeLessThanOrEqual(0.01);
  expect(Math.abs(found.clash!.volume! / 36 - 1)).toBeLessThan(0.03);
  // Turned together they are as before.
  const scene = box(40, 40, 10, parts);
  const again = look(
    box(20, 20, 20, parts),
    { ...scene, positions: transformPoints(turned, scene.positions) },
    multiply(turned, fromTranslation(24, 24, 14)),
  );
  expect(again.clash!.depth).toBeCloseTo(1, 2);
  expect(Math.abs(again.clash!.volume! / 36 - 1)).toBeLessThan(0.03);
});

test('ball in ball: the lens of the two', () => {
  const [r, big, d] = [6, 10, 14];
  const found = look(ball(r), ball(big), fromTranslation(0, d, 0));
  // E. W. Weisstein, Sphere-Sphere Intersection (MathWorld).
  const lens = (Math.PI * (big + r - d) ** 2 * (d * d + 2 * d * (r + big) - 3 * (r - big) ** 2)) / (12 * d);
  expect(Math.abs(found.clash!.depth - (r + big - d))).toBeLessThan(0.02);
  expect(Math.abs(found.clash!.volume! / lens - 1)).toBeLessThan(0.02);
});

test('a ball in a tube: clearance all round, and wholly within a block: a clash though nothing meets', () => {
  const tube = meshOf(new CylinderGeometry(10, 10, 60, 720, 4, true));
  const found = look(ball(8), { ...tube, indices: tube.indices.slice().reverse() }, fromTranslation(0.6, 3, 0.8));
  expect(found.state).toBe('clear');
  expect(Math.abs(found.clearance.distance - 1)).toBeLessThan(0.02);
  const inside = look(ball(3, 32), box(40, 40, 40), fromTranslation(2, 0, 0));
  expect(inside.state).toBe('clash');
  // Deepest where all three coordinates are as small: 20 mm less the root of 3y² + 4y − 5.
  expect(Math.abs(inside.clash!.depth - (20 - (Math.sqrt(76) - 4) / 6))).toBeLessThan(0.02);
  expect(Math.abs(inside.clash!.volume! / ((4 / 3) * Math.PI * 27) - 1)).toBeLessThan(0.03);
  const around = look(box(40, 40, 40), ball(3, 32), fromTranslation(2, 0, 0));
  expect(around.state).toBe('clash');
});

test('a plate that was scanned from its front: through it is a clash, far behind it is unseen, beside it is clear', () => {
  // 100 × 100 mm, front upwards; the piece is 34.6 mm across, so 8.7 mm behind the plate count as its inside.
  const plate = meshOf(new PlaneGeometry(100, 100, 10, 10));
  const at = (x: number, z: number): FoundPlacing => look(box(20, 20, 20), plate, fromTranslation(x, 0, z));
  expect([at(0, 12).state, at(0, 10).state, at(0, -30).state, at(80, -30).state, at(80, 0).state]).toEqual([
    'clear',
    'touching',
    'unseen',
    'clear',
    'clear',
  ]);
  const through = at(0, 8);
  expect(through.state).toBe('clash');
  expect(through.clash!.depth).toBeCloseTo(2, 2);
  expect(through.clash!.volume! / (20 * 20 * 2)).toBeCloseTo(1, 1);
  // An open piece has no inside: no volume is told.
  expect(
    look(
      meshOf(new PlaneGeometry(20, 20, 4, 4)),
      plate,
      multiply(fromTranslation(0, 0, 0), fromAxisAngle([1, 0, 0], 1)),
    ).clash?.volume,
  ).toBeUndefined();
});

test('what moving things are told is near what is kept', () => {
  const ground = new PlacingGround(ball(6, 48), ball(10, 48));
  for (const d of [11, 13, 15, 15.9, 16.5, 18]) {
    const m = fromTranslation(0, d, 0);
    const [quick, thorough] = [ground.look(m, QUICK), ground.look(m, THOROUGH)];
    expect(quick.state).toBe(thorough.state);
    expect(Math.abs((quick.clash?.depth ?? 0) - (thorough.clash?.depth ?? 0))).toBeLessThan(0.2);
    expect(quick.clash?.volume).toBeUndefined();
  }
});

test('every vertex knows how deep it lies', () => {
  const ground = new PlacingGround(box(10, 10, 10), box(40, 40, 10));
  const m = fromTranslation(0, 0, 8);
  const depths = ground.depths(m, ground.look(m, THOROUGH).clash!);
  const { positions: p } = ground.piece.mesh;
  expect(depths.every((d, v) => Math.abs(d - (p[3 * v + 2] < 0 ? 2 : 0)) < 1e-5)).toBe(true);
});

test('a clearance tells how sure it is, and that it rests on invented surface', () => {
  const known = (m: TriangleMesh, error: number, invented: number): TriangleMesh => {
    const n = m.positions.length / 3;
    return { ...m, expectedError: new Float32Array(n).fill(error), invented: new Uint8Array(n).fill(invented) };
  };
  const found = look(known(box(10, 10, 10), 0.03, 0), known(box(10, 10, 10), 0.04, 1), fromTranslation(0, 0, 12));
  expect(found.clearance.uncertainty).toBeCloseTo(0.05, 6);
  expect(found.clearance.invented).toBe(true);
  expect(look(box(10, 10, 10), box(10, 10, 10), fromTranslation(0, 0, 12)).clearance.uncertainty).toBeUndefined();
});

test('the way between two placings goes straight, evenly turning about one axis', () => {
  const random = createRandom(3);
  const any = (): Vec3 => [random() - 0.5, random() - 0.5, random() - 0.5];
  const axis = (): Vec3 => {
    const v = any();
    return v.map((c) => c / Math.hypot(...v)) as Vec3;
  };
  for (let n = 0; n < 20; n++) {
    const [from, to] = [0, 1].map(() =>
      multiply(
        fromTranslation(...(any().map((c) => 100 * c) as Vec3)),
        fromAxisAngle(axis(), n === 0 ? Math.PI : 3 * random()),
      ),
    );
    const middle = any().map((c) => 30 * c) as Vec3;
    const way = wayBetween(from, to, middle);
    expect([...way.at(1)].map((v, i) => Math.abs(v - to[i]) < 1e-6)).not.toContain(false);
    const half = way.at(0.5);
    expect(isRigid(half)).toBe(true);
    const [a, b, m] = [from, to, half].map((t) => transformPoint(t, ...middle));
    expect(Math.hypot(...m.map((c, k) => c - (a[k] + b[k]) / 2))).toBeLessThan(1e-9);
    // No place within 20 mm of the middle goes further than said.
    const place = middle.map((c, k) => c + 20 * axis()[k] * 0.5) as Vec3;
    let length = 0;
    for (let i = 0; i < 50; i++)
      length += Math.hypot(
        ...transformPoint(way.at((i + 1) / 50), ...place).map(
          (c, k) => c - transformPoint(way.at(i / 50), ...place)[k],
        ),
      );
    expect(length).toBeLessThanOrEqual(way.speed(Math.hypot(...place.map((c, k) => c - middle[k]))) + 1e-9);
  }
});

test('the tightest place of a way past a post, and a way that clashes', () => {
  // The post's corner stands at x = 5, y = 5; a ball of 4 mm goes by along x + y = 26 (18.38 mm from the origin).
  const ground = new PlacingGround(ball(4, 48), box(10, 10, 60));
  const way = findTightest(ground, fromTranslation(40, -14, 0), fromTranslation(-14, 40, 0), createRunContext());
  const truth = 16 / Math.SQRT2 - 4;
  expect(Math.abs(way.found.clearance.distance - truth)).toBeLessThan(0.03);
  expect(Math.abs(way.at - 0.5)).toBeLessThan(0.01);
  expect(way.within).toBeLessThanOrEqual(0.02);
  expect(way.profile).toHaveLength(61);
  expect(Math.min(...way.profile)).toBeGreaterThanOrEqual(way.found.clearance.distance - 1e-6);
  const through = findTightest(ground, fromTranslation(40, 0, 0), fromTranslation(-40, 0, 0), createRunContext());
  expect(through.found.state).toBe('clash');
  expect(Math.min(...through.profile)).toBeLessThan(-4.8);
});

test('a piece is moved until it touches, and set down where there is room', () => {
  const table = together(
    box(200, 200, 10),
    meshOf(new BoxGeometry(20, 20, 40), fromTranslation(60, 0, 25)),
    meshOf(new BoxGeometry(80, 80, 10), fromTranslation(-50, 0, 45)),
  );
  const ground = new PlacingGround(ball(6, 48), table);
  const lies = (m: Mat4 | undefined): number[] | undefined =>
    m && [...m.subarray(12, 15)].map((c) => Math.round(100 * c) / 100);
  expect(lies(moveUntilTouching(ground, fromTranslation(0, 0, 60), [0, 0, -1], 100))).toEqual([0, 0, 11]);
  expect(moveUntilTouching(ground, fromTranslation(0, 0, 60), [0, 0, 1], 100)).toBeUndefined();
  // Onto the table, below the shelf, onto the shelf.
  expect(lies(setDown(ground, identity(), [0, 40, 5]))).toEqual([0, 40, 11]);
  expect(lies(setDown(ground, identity(), [-50, 10, 5]))).toEqual([-50, 10, 11]);
  expect(lies(setDown(ground, identity(), [-50, 10, 50]))).toEqual([-50, 10, 56]);
  // Where the post stands it comes to lie on that.
  expect(lies(setDown(ground, identity(), [60, 0, 5]))).toEqual([60, 0, 51]);
});

const shape = (kind: Shape['kind'], at: Vec3, axis: Vec3): Shape => ({
  kind,
  at,
  axis,
  radius: 5,
  tubeRadius: 1,
  halfAngle: 0.2,
});

test('faces are laid on faces, axes on axes, balls on balls; what fits nowhere says so', () => {
  const m = multiply(fromTranslation(3, 4, 5), fromAxisAngle([0, 1, 0], 0.4));
  const up: Vec3 = [0, 0, 1];
  const face = layOn(
    { shape: shape('plane', [0, 0, -5], up), place: [1, 2, -5], outwards: [0, 0, -1] },
    { shape: shape('plane', [0, 0, 20], up), place: [7, 8, 20], outwards: up },
    m,
  );
  expect(transformPoint(face, 1, 2, -5).map((c) => Math.round(1e6 * c) / 1e6)).toEqual([7, 8, 20]);
  expect(transformPoint(face, 1, 2, -4).map((c) => Math.round(1e6 * c) / 1e6)).toEqual([7, 8, 21]);
  const axial = layOn(
    { shape: shape('cylinder', [0, 0, 0], up), place: [5, 0, 9], outwards: [1, 0, 0] },
    { shape: shape('cone', [50, 0, 0], [1, 0, 0]), place: [60, 5, 0], outwards: up },
    m,
  );
  const a = transformPoint(axial, 0, 0, 9);
  const b = transformPoint(axial, 0, 0, 19);
  expect(a.map((c) => Math.round(1e6 * c) / 1e6 + 0)).toEqual([60, 0, 0]);
  expect(Math.abs(b[0] - 60)).toBeCloseTo(10, 6);
  const middle = layOn(
    { shape: shape('sphere', [1, 1, 1], up), place: [6, 1, 1], outwards: up },
    { shape: shape('sphere', [9, 9, 9], up), place: [9, 9, 14], outwards: up },
    m,
  );
  expect(transformPoint(middle, 1, 1, 1).map((c) => Math.round(1e6 * c) / 1e6)).toEqual([9, 9, 9]);
  const onLine = layOn(
    { shape: shape('sphere', [0, 0, 0], up), place: [5, 0, 0], outwards: up },
    { shape: shape('cylinder', [9, 9, 0], up), place: [14, 9, 0], outwards: up },
    m,
  );
  expect(transformPoint(onLine, 0, 0, 0).map((c) => Math.round(1e6 * c) / 1e6)).toEqual([9, 9, 5]);
  expect(() =>
    layOn(
      { shape: shape('plane', [0, 0, 0], up), place: [0, 0, 0], outwards: up },
      { shape: shape('cylinder', [0, 0, 0], up), place: [5, 0, 0], outwards: up },
      m,
    ),
  ).toThrow(GeometryError);
});

test('without triangles there is nothing to place; a sheet says its units', () => {
  const nothing = { positions: new Float32Array(0), indices: new Uint32Array(0) };
  expect(() => new PlacingGround(nothing, box(1, 1, 1))).toThrow(GeometryError);
  expect(plainPlacings({ surroundings: 'Corner', asked: [], found: [], ways: [] })).toEqual({
    version: 1,
    units: 'mm, mm³',
    surroundings: 'Corner',
    asked: [],
    found: [],
    ways: [],
  });
});
