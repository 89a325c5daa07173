import { SphereGeometry, TorusKnotGeometry, type BufferGeometry } from 'three';
import type { TriangleMesh } from '../geometry/triangle-mesh.js';
import {
  fromAxisAngle,
  fromTranslation,
  identity,
  multiply,
  transformPoints,
  type Mat4,
  type Vec3,
} from '../math/mat4.js';
import { createRandom } from '../math/random.js';
import { emptyGap, SurfaceGap, TriangleBvh } from './index.js';
import { triangleGap } from './triangle-gap.js';

const meshOf = (g: BufferGeometry): TriangleMesh => ({
  positions: Float32Array.from(g.getAttribute('position').array),
  indices: Uint32Array.from(g.getIndex()!.array),
});
const random = createRandom(7);
const somewhere = (size: number): Float64Array => Float64Array.from({ length: 9 }, () => size * (random() - 0.5));
const unit = (): Vec3 => {
  const v: Vec3 = [random() - 0.5, random() - 0.5, random() - 0.5];
  return v.map((c) => c / Math.hypot(...v)) as Vec3;
};

test('the gap of two triangles is that of the nearest of many places on them', () => {
  const steps = 24;
  const placesOn = (t: Float64Array): number[][] => {
    const out: number[][] = [];
    for (let i = 0; i <= steps; i++)
      for (let j = 0; j <= steps - i; j++) {
        const [v, w] = [i / steps, j / steps];
        out.push([0, 1, 2].map((k) => t[k] + v * (t[3 + k] - t[k]) + w * (t[6 + k] - t[k])));
      }
    return out;
  };
  let met = 0;
  for (let n = 0; n < 60; n++) {
    const p = somewhere(10);
    const q = somewhere(10).map((c, i) => c + (n % 3) * (i % 3 === 0 ? 5 : 0));
    const out = emptyGap();
    expect(triangleGap(p, q, out)).toBe(true);
    const gap = Math.sqrt(out.squared);
    let sampled = Infinity;
    const others = placesOn(q);
    for (const a of placesOn(p))
      for (const b of others) sampled = Math.min(sampled, Math.hypot(...a.map((c, k) => c - b[k])));
    const longest = Math.max(
      ...[p, q].map((t) =>
        Math.hypot(...[0, 1, 2].map((k) => Math.max(t[k], t[3 + k], t[6 + k]) - Math.min(t[k], t[3 + k], t[6 + k]))),
      ),
    );
    expect(gap).toBeLessThanOrEqual(sampled + 1e-9);
    expect(gap).toBeGreaterThanOrEqual(sampled - (2 * longest) / steps);
    expect(Math.hypot(...[0, 1, 2].map((k) => out.on[k] - out.off[k]))).toBeCloseTo(gap, 9);
    if (gap === 0) met++;
    // The same the other way round.
    const turned = emptyGap();
    triangleGap(q, p, turned);
    expect(Math.sqrt(turned.squared)).toBeCloseTo(gap, 9);
  }
  expect(met).toBeGreaterThan(3);
  expect(met).toBeLessThan(57);
});

test('triangles of no area and parallel ones have gaps too', () => {
  const flat = Float64Array.of(0, 0, 0, 4, 0, 0, 0, 4, 0);
  const gapTo = (q: number[]): number => {
    const out = emptyGap();
    triangleGap(flat, Float64Array.from(q), out);
    return Math.sqrt(out.squared);
  };
  expect(gapTo([0, 0, 3, 4, 0, 3, 0, 4, 3])).toBe(3);
  expect(gapTo([1, 1, 2, 1, 1, 2, 1, 1, 2])).toBe(2);
  expect(gapTo([1, 1, -1, 1, 1, 1, 1, 1, 5])).toBe(0);
  expect(gapTo([6, 0, 0, 9, 0, 0, 6, 1, 0])).toBe(2);
});

test('of two surfaces the nearest triangles are found, wherever the one was before', () => {
  const knot = meshOf(new TorusKnotGeometry(10, 2, 40, 8));
  const ball = meshOf(new SphereGeometry(4, 12, 8));
  const gap = new SurfaceGap(new TriangleBvh(ball), new TriangleBvh(knot));
  const cornersOf = (m: TriangleMesh, t: number): Float64Array =>
    Float64Array.from({ length: 9 }, (_, i) => m.positions[3 * m.indices[3 * t + Math.floor(i / 3)] + (i % 3)]);
  let met = 0;
  for (let n = 0; n < 40; n++) {
    const m: Mat4 = multiply(
      fromTranslation(...(unit().map((c) => 18 * c * random()) as Vec3)),
      fromAxisAngle(unit(), 3 * random()),
    );
    const moved = { ...ball, positions: transformPoints(m, ball.positions) };
    const all = emptyGap();
    for (let a = 0; a < ball.indices.length / 3; a++)
      for (let b = 0; b < knot.indices.length / 3 && all.squared > 0; b++)
        triangleGap(cornersOf(moved, a), cornersOf(knot, b), all);
    const out = emptyGap();
    const pair = gap.between(m, 1e6, out);
    expect(pair).toBeDefined();
    expect(Math.sqrt(out.squared)).toBeCloseTo(Math.sqrt(all.squared), 4);
    if (all.squared === 0) met++;
    // Nothing is found where nothing may be looked for.
    else expect(gap.between(m, 0.99 * Math.sqrt(all.squared), emptyGap())).toBeUndefined();
  }
  expect(met).toBeGreaterThan(2);
  expect(
    new SurfaceGap(
      new TriangleBvh(ball),
      new TriangleBvh({ positions: new Float32Array(0), indices: new Uint32Array(0) }),
    ).between(identity(), 1e6, emptyGap()),
  ).toBeUndefined();
});
