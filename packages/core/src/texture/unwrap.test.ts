import { meshOf, sphere, torus } from '../../test/shapes.js';
import { createRunContext } from '../runtime/index.js';
import { packOutlines, renderTurntable, unwrapMesh } from './index.js';

const ctx = createRunContext();

test('shapes are packed by their outlines, with a free cell between them, and use most of the square', () => {
  // Triangles and frames of many sizes: boxes around them would leave half the square empty.
  const shapes = Array.from({ length: 60 }, (_, i) => {
    const w = 5 + ((i * 7) % 20);
    const h = 4 + ((i * 11) % 25);
    return i % 2 ? Float32Array.of(0, 0, w, 0, 0, h) : Float32Array.of(0, 0, w, 0, w, h, 0, 0, w, h, 0, h);
  });
  const { side, cell, spots } = packOutlines(shapes, 200);
  const used = new Int16Array(side * side).fill(-1);
  let area = 0;
  let tooNear = 0;
  shapes.forEach((q, i) => {
    const { x, y, turns } = spots[i];
    const wide = Math.floor(Math.max(...q.filter((_, k) => k % 2 === 0)) / cell) + 1;
    const high = Math.floor(Math.max(...q.filter((_, k) => k % 2 === 1)) / cell) + 1;
    for (let t = 0; t < q.length; t += 6) {
      area += ((q[t + 2] - q[t]) * (q[t + 5] - q[t + 1]) - (q[t + 4] - q[t]) * (q[t + 3] - q[t + 1])) / 2;
      for (let s = 0; s < 150; s++) {
        let [a, b] = [((s % 25) + 0.3) / 26, (Math.floor(s / 25) + 0.4) / 7];
        if (a + b > 1) [a, b] = [1 - a, 1 - b];
        const u = (q[t] + a * (q[t + 2] - q[t]) + b * (q[t + 4] - q[t])) / cell;
        const v = (q[t + 1] + a * (q[t + 3] - q[t + 1]) + b * (q[t + 5] - q[t + 1])) / cell;
        const [c, d] = [
          [u, v],
          [high - v, u],
          [wide - u, high - v],
          [v, wide - u],
        ][turns];
        for (let dy = -1; dy <= 1; dy++) {
          for (let dx = -1; dx <= 1; dx++) {
            const other = used[Math.floor(y + d + dy) * side + Math.floor(x + c + dx)];
            if (other !== undefined && other !== i && other !== -1) tooNear++;
          }
        }
        used[Math.floor(y + d) * side + Math.floor(x + c)] = i;
      }
    }
  });
  expect(tooNear).toBe(0);
  expect(area / (side * cell) ** 2).toBeGreaterThan(0.7);
});

test.each([
  ['sphere', meshOf(sphere(20), 20, 1)],
  ['ring', meshOf(torus(20, 7), 28, 1)],
])('the layout of a %s has few islands, little stretch and no two on one spot', (_n, mesh) => {
  const atlas = unwrapMesh(mesh, { mapSize: 512, gap: 3 }, ctx);
  expect(atlas.charts).toBeLessThan(60);
  expect(atlas.coverage).toBeGreaterThan(0.45);
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
  // Rows run downwards: triangles that run the right way round have a negative area there.
  let mirrored = 0;
  for (let t = 0; t < atlas.chart.length; t++) {
    const q = atlas.cornerPixels.subarray(6 * t, 6 * t + 6);
    if ((q[2] - q[0]) * (q[5] - q[1]) - (q[4] - q[0]) * (q[3] - q[1]) > 0) mirrored++;
  }
  expect(mirrored / atlas.chart.length).toBeLessThan(0.005);
  expect(clashes).toBe(0);
  expect(outside).toBe(0);
});

test('a turntable shows the object on its ground', () => {
  const strip = renderTurntable(meshOf(sphere(20), 20, 2), 40, 3, [1, 2, 3]);
  expect(strip.width).toBe(120);
  expect(Array.from(strip.data.subarray(0, 3))).toEqual([1, 2, 3]);
  expect(strip.data[3 * (20 * 120 + 20)]).toBeGreaterThan(60);
});
