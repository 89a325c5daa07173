import { Mesh, MeshBasicMaterial, Raycaster, SphereGeometry, Vector3 } from 'three';
import { triangleCount, type TexturedMesh, type TriangleMesh } from '../geometry/index.js';
import { dot3, transformPoint } from '../math/index.js';
import { camerasAround, pictureThrough, viewingDirections } from './index.js';

const geometry = new SphereGeometry(30, 40, 24).translate(5, -8, 30);
const ball: TriangleMesh = {
  positions: Float32Array.from(geometry.getAttribute('position').array),
  indices: Uint32Array.from(geometry.getIndex()!.array),
};

test('a picture shows the surface where three’s rays meet it, at their depth, in its colour and nowhere else', () => {
  const three = new Mesh(geometry, new MeshBasicMaterial());
  const colored = { ...ball, colors: new Uint8Array(ball.positions.length).map((_, i) => [200, 90, 30][i % 3]) };
  const [place] = camerasAround(ball, [[0.6, 0.48, 0.64]], 64);
  const { image, depth } = pictureThrough(colored, place, [9, 8, 7]);
  const { camera, meshFromSensor } = place;
  const eye = new Vector3(...transformPoint(meshFromSensor, 0, 0, 0));
  let met = 0;
  for (let v = 0; v < 64; v += 3)
    for (let u = 0; u < 64; u += 3) {
      const one = transformPoint(meshFromSensor, (u - camera.cx) / camera.fx, (v - camera.cy) / camera.fy, 1);
      const ray = new Vector3(...one).sub(eye);
      const [hit] = new Raycaster(eye, ray.clone().normalize()).intersectObject(three);
      const at = 64 * v + u;
      // On the very rim the two may differ by a rounding.
      if (Boolean(hit) !== depth[at] > 0) continue;
      const seen = Array.from(image.data.subarray(3 * at, 3 * at + 3));
      if (!hit) {
        expect(seen).toEqual([9, 8, 7]);
        continue;
      }
      met++;
      expect(depth[at]).toBeCloseTo(hit.distance / ray.length(), 2);
      for (let k = 0; k < 3; k++) expect(Math.abs(seen[k] - [200, 90, 30][k])).toBeLessThan(2);
    }
  expect(met).toBeGreaterThan(150);
});

test('a map shows where it lies: each quarter of a square in its own colour', () => {
  const square: TexturedMesh = {
    positions: Float32Array.from([-1, -1, 0, 1, -1, 0, 1, 1, 0, -1, 1, 0]),
    indices: Uint32Array.from([0, 1, 2, 0, 2, 3]),
    cornerUvs: Float32Array.from([0, 0, 1, 0, 1, 1, 0, 0, 1, 1, 0, 1]),
    texture: { width: 2, height: 2, data: Uint8Array.from([255, 0, 0, 0, 255, 0, 0, 0, 255, 255, 255, 255]) },
  };
  const [place] = camerasAround(square, [[0, 0, 1]], 101);
  const { image } = pictureThrough(square, place, [0, 0, 0]);
  // Seen from above with +Y up in the picture: the map's upper left is the picture's.
  const at = (u: number, v: number): number[] =>
    Array.from(image.data.subarray(3 * (101 * v + u), 3 * (101 * v + u) + 3));
  expect([at(22, 22), at(78, 22), at(22, 78), at(78, 78)]).toEqual([
    [255, 0, 0],
    [0, 255, 0],
    [0, 0, 255],
    [255, 255, 255],
  ]);
});

test('cameras stand where they should: evenly, the object whole in every picture, from above never from below', () => {
  for (const range of ['all', 'above', 'ring'] as const) {
    const directions = viewingDirections(range, 24, 0.5);
    expect(directions).toHaveLength(24);
    for (const d of directions) expect(Math.hypot(...d)).toBeCloseTo(1, 12);
    if (range !== 'all') for (const d of directions) expect(d[2]).toBeGreaterThan(0);
    const nearest = directions.map((d) => Math.max(...directions.filter((e) => e !== d).map((e) => dot3(d, e))));
    expect(Math.min(...nearest)).toBeGreaterThan(0.7);
    expect(Math.max(...nearest)).toBeLessThan(0.99);
    for (const place of camerasAround(ball, directions, 48)) {
      const { triangle } = pictureThrough(ball, place, [0, 0, 0]);
      let seen = 0;
      for (let i = 0; i < 48 * 48; i++) {
        if (triangle[i] < 0) continue;
        seen++;
        const [u, v] = [i % 48, Math.floor(i / 48)];
        expect(Math.min(u, v, 47 - u, 47 - v)).toBeGreaterThan(0);
      }
      expect(seen).toBeGreaterThan(0.5 * 48 * 48);
    }
  }
  expect(triangleCount(ball)).toBeGreaterThan(0);
});
