import { Triangle, Vector3 } from 'three';
import type { TriangleMesh } from '../geometry/triangle-mesh.js';
import { createRandom } from '../math/random.js';
import { TriangleBvh, type SurfaceHit } from './triangle-bvh.js';

/** Triangles anywhere, of all shapes: slivers and ones without area among them. */
function soup(count: number, seed: number): TriangleMesh {
  const random = createRandom(seed);
  const positions: number[] = [];
  for (let t = 0; t < count; t++) {
    const at = [100 * random(), 100 * random(), 100 * random()];
    const size = t % 10 === 0 ? 0 : 1 + 8 * random();
    for (let corner = 0; corner < 3; corner++) {
      // Every seventh has all its corners in a line.
      const along = t % 7 === 0 ? [corner, corner, corner] : [random(), random(), random()];
      for (let k = 0; k < 3; k++) positions.push(at[k] + size * along[k]);
    }
  }
  const indices = Uint32Array.from({ length: 3 * count }, (_, i) => i);
  return { positions: Float32Array.from(positions), indices };
}

const newHit = (): SurfaceHit => ({ triangle: 0, squaredDistance: 0, x: 0, y: 0, z: 0, v: 0, w: 0 });

/** Distance to the nearest triangle, looked for one by one with three.js; those without area as the points they are. */
function nearestByThree({ positions: p }: TriangleMesh, at: Vector3): number {
  let best = Infinity;
  const out = new Vector3();
  for (let t = 0; t < p.length; t += 9) {
    const corner = (k: number): Vector3 => new Vector3(p[t + 3 * k], p[t + 3 * k + 1], p[t + 3 * k + 2]);
    new Triangle(corner(0), corner(1), corner(2)).closestPointToPoint(at, out);
    best = Math.min(best, out.distanceTo(at));
  }
  return best;
}

test.each([1, 2, 3, 50, 700])('the closest point of %i triangles is the one that three.js finds', (count) => {
  const mesh = soup(count, count);
  const bvh = new TriangleBvh(mesh);
  const random = createRandom(77);
  const hit = newHit();
  for (let q = 0; q < 60; q++) {
    const at = new Vector3(140 * random() - 20, 140 * random() - 20, 140 * random() - 20);
    expect(bvh.closest(at.x, at.y, at.z, Infinity, hit)).toBe(true);
    const found = new Vector3(hit.x, hit.y, hit.z);
    expect(Math.sqrt(hit.squaredDistance)).toBeCloseTo(nearestByThree(mesh, at), 3);
    expect(found.distanceTo(at)).toBeCloseTo(Math.sqrt(hit.squaredDistance), 3);
    expect(hit.triangle).toBeLessThan(count);
  }
});

test('nothing is found beyond the limit, and what is on the surface is at no distance', () => {
  const mesh = soup(50, 5);
  const bvh = new TriangleBvh(mesh);
  const hit = newHit();
  const far = nearestByThree(mesh, new Vector3(-50, -50, -50));
  expect(bvh.closest(-50, -50, -50, far - 0.01, hit)).toBe(false);
  expect(bvh.closest(-50, -50, -50, far + 0.01, hit)).toBe(true);
  const p = mesh.positions;
  const middle = [0, 1, 2].map((k) => (p[9 + k] + p[12 + k] + p[15 + k]) / 3);
  expect(bvh.closest(middle[0], middle[1], middle[2], 1, hit)).toBe(true);
  expect(hit.squaredDistance).toBeLessThan(1e-8);
});

test('over no triangles nothing is found', () => {
  const bvh = new TriangleBvh({ positions: new Float32Array(0), indices: new Uint32Array(0) });
  expect(bvh.closest(0, 0, 0, 1e9, newHit())).toBe(false);
});
