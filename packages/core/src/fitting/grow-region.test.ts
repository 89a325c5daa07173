import { BoxGeometry, CylinderGeometry, SphereGeometry, TorusGeometry, type BufferGeometry } from 'three';
import { vertexCount, type TriangleMesh } from '../geometry/triangle-mesh.js';
import { createRandom, gaussian } from '../math/random.js';
import type { Vec3 } from '../math/mat4.js';
import { weldVertices } from '../mesh/weld-vertices.js';
import { areaOfRegion, REGION_KINDS, RegionGrower, relate, type ShapeRegion } from './index.js';

function meshOf(geometry: BufferGeometry): TriangleMesh {
  return weldVertices({
    positions: Float32Array.from(geometry.getAttribute('position').array),
    indices: Uint32Array.from(geometry.getIndex()!.array),
  });
}

/** The same with noise along each axis. */
function noisy(mesh: TriangleMesh, noise: number, seed: number): TriangleMesh {
  const random = createRandom(seed);
  return { ...mesh, positions: mesh.positions.map((v) => v + noise * gaussian(random)) };
}

function nearest(mesh: TriangleMesh, [x, y, z]: Vec3): number {
  let best = 0;
  let least = Infinity;
  const p = mesh.positions;
  for (let v = 0; v < vertexCount(mesh); v++) {
    const d = (p[3 * v] - x) ** 2 + (p[3 * v + 1] - y) ** 2 + (p[3 * v + 2] - z) ** 2;
    if (d < least) [least, best] = [d, v];
  }
  return best;
}

const pointsOf = (mesh: TriangleMesh, { vertices }: ShapeRegion): Float32Array =>
  Float32Array.from([...vertices].flatMap((v) => [...mesh.positions.subarray(3 * v, 3 * v + 3)]));

const box = meshOf(new BoxGeometry(60, 40, 20, 60, 40, 20));
const tube = meshOf(new CylinderGeometry(15, 15, 50, 96, 50));
const funnel = meshOf(new CylinderGeometry(10, 20, 40, 96, 40));
const ball = meshOf(new SphereGeometry(20, 96, 64));
const ring = meshOf(new TorusGeometry(30, 8, 48, 160));

// Sizes are those that three.js was asked for; the noise is what a scan has.
test.each([
  ['plane', box, [3, 4, 10], 60 * 40],
  ['cylinder', tube, [15, 2, 0], 2 * Math.PI * 15 * 50],
  ['cone', funnel, [15, 0, 0], Math.PI * (10 + 20) * Math.hypot(40, 10)],
  ['sphere', ball, [0, 0, 20], 4 * Math.PI * 400],
  ['torus', ring, [38, 0, 0], 4 * Math.PI ** 2 * 30 * 8],
] as const)('from one place a whole %s is found, and what kind it is', (kind, mesh, place, area) => {
  for (const noise of [0, 0.03]) {
    const rough = noise > 0 ? noisy(mesh, noise, 4) : mesh;
    const region = new RegionGrower(rough).grow(nearest(rough, [...place]), 'any');
    expect(region.fit.shape.kind).toBe(kind);
    expect(areaOfRegion(rough, region.vertices) / area).toBeGreaterThan(0.85);
    expect(areaOfRegion(rough, region.vertices) / area).toBeLessThan(1.02);
    expect(region.fit.rms).toBeLessThan(noise + 0.01);
  }
});

test('sizes come out with their uncertainty', () => {
  const rough = noisy(tube, 0.03, 2);
  const { fit } = new RegionGrower(rough).grow(nearest(rough, [15, 2, 0]), 'cylinder');
  expect(Math.abs(fit.shape.radius - 15)).toBeLessThan(0.01);
  expect(fit.uncertainty.radius).toBeLessThan(0.005);
  expect(Math.abs(fit.shape.axis[1])).toBeGreaterThan(0.99999);
});

test('a region ends at an edge, and invented places take no part in its fit', () => {
  const bent: TriangleMesh = { ...box, positions: box.positions.slice(), invented: new Uint8Array(vertexCount(box)) };
  for (let v = 0; v < vertexCount(box); v++) {
    if (box.positions[3 * v + 2] === 10 && box.positions[3 * v] > 20) {
      bent.invented![v] = 1;
      bent.positions[3 * v + 2] = 10.0005;
    }
  }
  const region = new RegionGrower(bent).grow(nearest(bent, [-20, 0, 10]), 'plane');
  expect(region.inventedRatio).toBeGreaterThan(0.1);
  expect(Math.abs(region.fit.shape.at[2] - 10)).toBeLessThan(1e-5);
  for (const v of region.vertices) expect(bent.positions[3 * v + 2]).toBeGreaterThan(9.99);
});

test('a place that is no vertex, or of no such shape, is refused', () => {
  const grower = new RegionGrower(box);
  expect(() => grower.grow(-1, 'any')).toThrow(/no vertex/);
  expect(() => grower.grow(1e9, 'any')).toThrow(/no vertex/);
  const two: TriangleMesh = { positions: Float32Array.of(0, 0, 0, 1, 0, 0, 0, 1, 0), indices: Uint32Array.of(0, 1, 2) };
  expect(() => new RegionGrower(two).grow(0, 'any')).toThrow(/No simple shape/);
  expect(() => new RegionGrower(two).grow(0, 'cone')).toThrow(/no cone/);
});

test('two faces of a box: their distance, angle and zones', () => {
  const grower = new RegionGrower(box);
  const face = (at: Vec3): ShapeRegion => grower.grow(nearest(box, at), 'plane');
  const [top, bottom, side] = [face([0, 0, 10]), face([0, 0, -10]), face([30, 0, 0])];
  const level = relate(top.fit.shape, pointsOf(box, top), bottom.fit.shape);
  expect(level.distance).toBeCloseTo(20, 4);
  expect(level.angle).toBeCloseTo(0, 5);
  expect(level.parallelism).toBeCloseTo(0, 4);
  const square = relate(side.fit.shape, pointsOf(box, side), top.fit.shape);
  expect(square.angle).toBeCloseTo(Math.PI / 2, 5);
  expect(square.perpendicularity).toBeCloseTo(0, 4);
  expect(square.distance).toBeUndefined();
});

test('axes: parallel ones have a distance, coaxial ones a zone, skew ones the shortest way', () => {
  const cylinder = (at: Vec3, axis: Vec3) => ({
    kind: 'cylinder' as const,
    at,
    axis,
    radius: 5,
    tubeRadius: 0,
    halfAngle: 0,
  });
  const along = Float32Array.of(0, 0, -20, 0, 0, 20);
  const a = cylinder([0, 0, 0], [0, 0, 1]);
  expect(relate(a, along, cylinder([3, 4, 7], [0, 0, -1])).distance).toBeCloseTo(5, 10);
  expect(relate(a, along, cylinder([0.1, 0, 7], [0, 0, -1])).coaxiality).toBeCloseTo(0.2, 6);
  // Tilted about the middle by 0.01: the ends lie off by 20 sin 0.01 on either side.
  const tilted = relate(a, along, cylinder([0, 0, 0], [Math.sin(0.01), 0, Math.cos(0.01)]));
  expect(tilted.coaxiality).toBeCloseTo(40 * Math.sin(0.01), 4);
  expect(tilted.angle).toBeCloseTo(0.01, 8);
  const skew = relate(a, along, cylinder([0, 12, 3], [1, 0, 0]));
  expect(skew.distance).toBeCloseTo(12, 10);
  expect(skew.coaxiality).toBeUndefined();
  const ball = { ...a, kind: 'sphere' as const, at: [3, 4, 9] as Vec3 };
  expect(relate(ball, along, a).distance).toBeCloseTo(5, 10);
  const floor = { ...a, kind: 'plane' as const, at: [0, 0, -2] as Vec3 };
  expect(relate(ball, along, floor).distance).toBeCloseTo(11, 10);
  expect(relate(a, along, floor).angle).toBeCloseTo(Math.PI / 2, 10);
  expect(relate(floor, along, a).perpendicularity).toBeCloseTo(40, 5);
});

test('on a bulging body a region stays where the shape holds, and does not grow poorer and larger', () => {
  // A belly of two curvatures that change: no simple shape explains more than a part of it.
  const belly = meshOf(new SphereGeometry(50, 160, 120));
  const bulged = { ...belly, positions: belly.positions.slice() };
  for (let i = 0; i < belly.positions.length; i += 3) {
    const s = 1 + 0.25 * Math.sin(belly.positions[i + 1] / 14);
    bulged.positions[i] *= s;
    bulged.positions[i + 2] *= s;
  }
  const rough = noisy(bulged, 0.02, 7);
  const grower = new RegionGrower(rough);
  for (const place of [
    [50, 5, 0],
    [35, 25, 20],
    [0, -20, -48],
  ] as Vec3[]) {
    const seed = nearest(rough, place);
    const fits = (['any', ...REGION_KINDS] as const).flatMap((kind) => {
      try {
        return [grower.grow(seed, kind).fit];
      } catch (e) {
        // Where it is bent too much for a kind, that is said.
        expect((e as Error).message).toMatch(/There is no/);
        return [];
      }
    });
    expect(fits.length).toBeGreaterThan(1);
    for (const { rms, form } of fits) {
      expect(rms).toBeLessThan(0.1);
      expect(form).toBeLessThan(0.5);
    }
  }
});
