import { meshOf, sphere, torus } from '../../test/shapes.js';
import { createRunContext } from '../runtime/index.js';
import { packRectangles, renderTurntable, unwrapMesh } from './index.js';

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

test('a turntable shows the object on its ground', () => {
  const strip = renderTurntable(meshOf(sphere(20), 20, 2), 40, 3, [1, 2, 3]);
  expect(strip.width).toBe(120);
  expect(Array.from(strip.data.subarray(0, 3))).toEqual([1, 2, 3]);
  expect(strip.data[3 * (20 * 120 + 20)]).toBeGreaterThan(60);
});
