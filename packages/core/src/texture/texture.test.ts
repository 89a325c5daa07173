import { meshOf, sphere, torus } from '../../test/shapes.js';
import { identity, invertRigid, lookAt } from '../math/index.js';
import { rasterizeDepth } from '../mesh/index.js';
import { createRunContext } from '../runtime/index.js';
import type { Scan } from '../geometry/index.js';
import { packRectangles, renderTurntable, textureMesh, unwrapMesh } from './index.js';

const ctx = createRunContext();

test('rectangles are packed without overlap inside the square', () => {
  const items = Array.from({ length: 60 }, (_, i) => ({ width: 5 + ((i * 7) % 20), height: 4 + ((i * 11) % 25) }));
  const spots = packRectangles(items, 160)!;
  const used = new Uint8Array(160 * 160);
  spots.forEach((s, i) => {
    const w = s.turned ? items[i].height : items[i].width;
    const h = s.turned ? items[i].width : items[i].height;
    for (let y = s.y; y < s.y + h; y++) for (let x = s.x; x < s.x + w; x++) used[y * 160 + x]++;
  });
  expect(Math.max(...used)).toBe(1);
  expect(packRectangles([{ width: 20, height: 20 }], 10)).toBeUndefined();
});

test.each([
  ['sphere', meshOf(sphere(20), 20, 1)],
  ['ring', meshOf(torus(20, 7), 28, 1)],
])('the layout of a %s has few islands, little stretch and no two on one spot', (_n, mesh) => {
  const atlas = unwrapMesh(mesh, { mapSize: 512, gap: 3 }, ctx);
  expect(atlas.charts).toBeLessThan(60);
  expect(atlas.coverage).toBeGreaterThan(0.3);
  const owner = new Int32Array(512 * 512).fill(-1);
  let clashes = 0;
  let outside = 0;
  for (let t = 0; t < atlas.chart.length; t++) {
    const q = atlas.cornerPixels.subarray(6 * t, 6 * t + 6);
    for (let k = 0; k < 6; k++) if (q[k] < 3 || q[k] > 509) outside++;
    const x = Math.floor((q[0] + q[2] + q[4]) / 3);
    const y = Math.floor((q[1] + q[3] + q[5]) / 3);
    const at = y * 512 + x;
    if (owner[at] >= 0 && owner[at] !== atlas.chart[t]) clashes++;
    owner[at] = atlas.chart[t];
  }
  expect(clashes).toBe(0);
  expect(outside).toBe(0);
});

test('a sphere painted by position gets that colour back from pictures of it', () => {
  const mesh = meshOf(sphere(20), 20, 1);
  const paint = (x: number, y: number, z: number): number[] => [128 + 5 * x, 128 + 5 * y, 128 + 5 * z];
  const camera = { width: 200, height: 200, fx: 400, fy: 400, cx: 99.5, cy: 99.5 };
  const eyes: [number, number, number][] = [
    [120, 0, 0],
    [-120, 0, 0],
    [0, 120, 0],
    [0, -120, 0],
    [0, 1, 120],
    [0, 1, -120],
  ];
  const scans: Scan[] = [
    {
      name: 'a',
      cloud: { positions: mesh.positions },
      frames: eyes.map((eye, i) => {
        const pose = lookAt(eye, [0, 0, 0], [0, 0, 1]);
        const { depth } = rasterizeDepth(mesh, invertRigid(pose), camera);
        const data = new Uint8Array(3 * 200 * 200);
        for (let p = 0; p < 40_000; p++) {
          const z = depth[p];
          if (!(z > 0)) continue;
          const sx = (((p % 200) - camera.cx) / camera.fx) * z;
          const sy = ((Math.floor(p / 200) - camera.cy) / camera.fy) * z;
          const w = [0, 1, 2].map((k) => pose[k] * sx + pose[4 + k] * sy + pose[8 + k] * z + pose[12 + k]);
          // Each picture has its own exposure.
          data.set(
            paint(w[0], w[1], w[2]).map((c) => Math.max(0, Math.min(255, c * (0.9 + 0.04 * i)))),
            3 * p,
          );
        }
        return {
          name: `f${i}`,
          camera,
          depth,
          scanFromSensor: pose,
          color: { camera, image: { width: 200, height: 200, data } },
        };
      }),
    },
  ];
  const r = textureMesh(
    mesh,
    scans,
    [{ name: 'a', state: 'registered', pieceFromScan: identity() }],
    { mapSize: 512 },
    ctx,
  );
  expect(r.images).toBe(6);
  expect(r.seenRatio).toBeGreaterThan(0.97);
  let worst = 0;
  let sum = 0;
  for (let t = 0; t < mesh.indices.length / 3; t++) {
    const u = [0, 1].map(
      (k) => (r.mesh.cornerUvs[6 * t + k] + r.mesh.cornerUvs[6 * t + 2 + k] + r.mesh.cornerUvs[6 * t + 4 + k]) / 3,
    );
    const at = 3 * (Math.floor((1 - u[1]) * 512) * 512 + Math.floor(u[0] * 512));
    const c = [0, 1, 2].map((k) =>
      [0, 1, 2].reduce((s, v) => s + mesh.positions[3 * mesh.indices[3 * t + v] + k] / 3, 0),
    );
    const want = paint(c[0], c[1], c[2]);
    const error = Math.max(...want.map((w, k) => Math.abs(w - r.mesh.texture.data[at + k])));
    worst = Math.max(worst, error);
    sum += error;
  }
  expect(sum / (mesh.indices.length / 3)).toBeLessThan(6);
  expect(worst).toBeLessThan(40);
});

test('a turntable shows the object on its ground', () => {
  const strip = renderTurntable(meshOf(sphere(20), 20, 2), 40, 3, [1, 2, 3]);
  expect(strip.width).toBe(120);
  expect(Array.from(strip.data.subarray(0, 3))).toEqual([1, 2, 3]);
  expect(strip.data[3 * (20 * 120 + 20)]).toBeGreaterThan(60);
});
