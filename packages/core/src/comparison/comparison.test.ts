import bunny from 'bunny';
import { BoxGeometry, SphereGeometry, type BufferGeometry } from 'three';
import { vertexCount, vertexNormals, type TriangleMesh } from '../geometry/triangle-mesh.js';
import {
  fromAxisAngle,
  fromTranslation,
  identity,
  invertRigid,
  multiply,
  rotationAngle,
  transformPoint,
  transformPoints,
  type Mat4,
  type Vec3,
} from '../math/mat4.js';
import { createRandom, gaussian } from '../math/random.js';
import { measureDeviation } from '../measure/deviation.js';
import { weldVertices } from '../mesh/weld-vertices.js';
import { createRunContext } from '../runtime/run-context.js';
import { alignSurfaces, compareSurfaces, sampleSurface } from './index.js';

const ctx = () => createRunContext({ seed: 3 });
function meshOf(geometry: BufferGeometry): TriangleMesh {
  return weldVertices({
    positions: Float32Array.from(geometry.getAttribute('position').array),
    indices: Uint32Array.from(geometry.getIndex()!.array),
  });
}

/** The hare of the Stanford 3D scanning repository, about 150 mm long. */
const hare: TriangleMesh = {
  positions: Float32Array.from(bunny.positions.flat(), (v) => 15 * v),
  indices: Uint32Array.from(bunny.cells.flat()),
};
const away = multiply(fromTranslation(60, -30, 25), fromAxisAngle([0.3, 0.5, 0.8], 1.9));

/** The hare as scanned: with noise, and with a dent in its flank. */
function scanned(noise: number, dent = 0): { mesh: TriangleMesh; dented: number[] } {
  const random = createRandom(9);
  const n = vertexNormals(hare);
  const positions = hare.positions.slice();
  const top = flank(hare);
  const dented: number[] = [];
  for (let v = 0; v < vertexCount(hare); v++) {
    const near = Math.hypot(...[0, 1, 2].map((k) => positions[3 * v + k] - top[k])) < 18;
    if (near) dented.push(v);
    const off = noise * gaussian(random) - (near ? dent : 0);
    for (let k = 0; k < 3; k++) positions[3 * v + k] += off * n[3 * v + k];
  }
  return { mesh: { ...hare, positions }, dented };
}

/** A place on its flank, which is broad: ears are too thin to tell how deep a dent is. */
function flank({ positions: p }: TriangleMesh): Vec3 {
  let best = 0;
  for (let v = 0; v < p.length / 3; v++) if (p[3 * v + 2] > p[3 * best + 2]) best = v;
  return [p[3 * best], p[3 * best + 1], p[3 * best + 2]];
}

/** How far a motion takes the hare's places from where they belong, mm, at most. */
function worstOff(found: Mat4, truth: Mat4): number {
  let worst = 0;
  for (let v = 0; v < vertexCount(hare); v += 50) {
    const q: Vec3 = [hare.positions[3 * v], hare.positions[3 * v + 1], hare.positions[3 * v + 2]];
    const [a, b] = [transformPoint(found, ...q), transformPoint(truth, ...q)];
    worst = Math.max(worst, Math.hypot(a[0] - b[0], a[1] - b[1], a[2] - b[2]));
  }
  return worst;
}

test('a scanned piece finds its place on the reference from anywhere, and a dent does not pull it', async () => {
  const { mesh } = scanned(0.05, 3);
  const piece = { ...mesh, positions: transformPoints(away, mesh.positions) };
  const found = await alignSurfaces(piece, hare, 'anywhere', ctx());
  expect(worstOff(multiply(found, away), identity())).toBeLessThan(0.05);
});

test('from about right it is fitted where it is, as it lies it is left', async () => {
  const { mesh } = scanned(0.05);
  const nudge = multiply(fromTranslation(1, -0.5, 2), fromAxisAngle([0, 0, 1], 0.04));
  const piece = { ...mesh, positions: transformPoints(nudge, mesh.positions) };
  const found = await alignSurfaces(piece, hare, 'near', ctx());
  expect(worstOff(multiply(found, nudge), identity())).toBeLessThan(0.03);
  expect(rotationAngle(multiply(found, invertRigid(await alignSurfaces(piece, hare, 'as-is', ctx()))))).toBeGreaterThan(
    0.03,
  );
});

test('something else is not fitted in silence', async () => {
  const ball = meshOf(new SphereGeometry(9, 32, 16));
  const flat = meshOf(new BoxGeometry(300, 200, 1, 20, 20, 1));
  await expect(alignSurfaces(ball, flat, 'anywhere', ctx())).rejects.toThrow(/No place was found/);
});

test('a dent is measured as deep as it is, on measured surface alone, and is the worst place', () => {
  const { mesh, dented } = scanned(0, 2);
  const invented = new Uint8Array(vertexCount(hare));
  for (let v = 0; v < invented.length; v++) if (hare.positions[3 * v + 2] < 0) invented[v] = 1;
  const bent = {
    ...mesh,
    invented,
    positions: mesh.positions.map((x, i) => (invented[Math.floor(i / 3)] ? x + 9 : x)),
  };
  const found = compareSurfaces(bent, hare, identity(), { tolerance: 0.1, limit: 20 }, ctx());
  expect(found.worst[0].deviation).toBeLessThan(-1.5);
  expect(found.worst[0].deviation).toBeGreaterThan(-2.01);
  expect(found.largest).toBeLessThan(2.01);
  expect(found.inventedRatio).toBeGreaterThan(0.1);
  expect(found.withinRatio).toBeLessThan(1);
  const middle = dented.filter(
    (v) => Math.hypot(...[0, 1, 2].map((k) => hare.positions[3 * v + k] - flank(hare)[k])) < 6,
  );
  const depths = middle.map((v) => found.deviations[v]).sort((a, b) => a - b);
  expect(depths[depths.length >> 1]).toBeLessThan(-1.6);
});

// A box of 60 × 40 × 20 mm: distances in closed form, off faces, edges and corners.
test('on every side of a box, beside its edges and corners, the sign is right and the distance exact', () => {
  const box = meshOf(new BoxGeometry(60, 40, 20));
  const random = createRandom(11);
  const half = [30, 20, 10];
  const points = Float32Array.from({ length: 30_000 }, (_, i) => half[i % 3] * (2.6 * random() - 1.3));
  const { distances } = measureDeviation(points, box, 1000, ctx());
  let wrong = 0;
  let worst = 0;
  for (let i = 0; i < 10_000; i++) {
    const over = [0, 1, 2].map((k) => Math.abs(points[3 * i + k]) - half[k]);
    const outside = Math.hypot(...over.map((v) => Math.max(0, v)));
    const truth = outside > 0 ? outside : Math.max(...over);
    if (Math.sign(truth) !== Math.sign(distances[i])) wrong++;
    worst = Math.max(worst, Math.abs(truth - distances[i]));
  }
  expect(wrong).toBe(0);
  expect(worst).toBeLessThan(1e-4);
});

test('shares are of area, and what the piece does not reach is told', () => {
  // Half a box against the whole one: one half is reached, of the cut face nothing lies near.
  const whole = meshOf(new BoxGeometry(60, 40, 20, 60, 40, 20));
  const kept: number[] = [];
  for (let t = 0; t < whole.indices.length; t += 3) {
    const xs = [0, 1, 2].map((k) => whole.positions[3 * whole.indices[t + k]]);
    if (xs.every((x) => x <= 0)) kept.push(...whole.indices.subarray(t, t + 3));
  }
  const part = { ...whole, indices: Uint32Array.from(kept) };
  const found = compareSurfaces(part, whole, identity(), { tolerance: 0.05, limit: 5 }, ctx());
  expect(found.withinRatio).toBeCloseTo(1, 5);
  expect(found.unreachedRatio).toBeCloseTo(0.5, 2);
  const raised = { ...whole, positions: whole.positions.map((v, i) => (i % 3 === 2 && v === 10 ? 10.5 : v)) };
  const top = compareSurfaces(raised, whole, identity(), { tolerance: 0.05, limit: 5 }, ctx());
  const area = 2 * (60 * 40 + 40 * 20 + 20 * 60);
  expect(1 - top.withinRatio).toBeCloseTo((60 * 40) / area, 1);
  expect(top.p95).toBeCloseTo(0.5, 4);
});

test('points are spread by area', () => {
  const box = meshOf(new BoxGeometry(60, 40, 20));
  const { positions, normals } = sampleSurface(box, 20_000, createRandom(1));
  let top = 0;
  for (let i = 0; i < 20_000; i++) {
    if (Math.abs(positions[3 * i + 2] - 10) < 1e-4) {
      top++;
      expect(normals[3 * i + 2]).toBeCloseTo(1, 6);
    }
  }
  expect(top / 20_000).toBeCloseTo((60 * 40) / (2 * (60 * 40 + 40 * 20 + 20 * 60)), 2);
});

test('a surface without triangles is refused', () => {
  const none = { positions: new Float32Array(0), indices: new Uint32Array(0) };
  expect(() => compareSurfaces(none, hare, identity(), { tolerance: 1, limit: 0 }, ctx())).toThrow(/without triangles/);
});
