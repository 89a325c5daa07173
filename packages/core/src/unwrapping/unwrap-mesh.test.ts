import { meshOf, sphere, torus } from '../../test/shapes.js';
import type { TriangleMesh } from '../geometry/index.js';
import { createRandom } from '../math/index.js';
import { createRunContext } from '../runtime/index.js';
import { countOverlaps, overlappingPairs, packOutlines, turnedShape, unwrapMesh } from './index.js';

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
  shapes.forEach((shape, i) => {
    const { x, y, turn } = spots[i];
    const q = turnedShape(shape, turn);
    for (let t = 0; t < q.length; t += 6) {
      area += ((q[t + 2] - q[t]) * (q[t + 5] - q[t + 1]) - (q[t + 4] - q[t]) * (q[t + 3] - q[t + 1])) / 2;
      for (let s = 0; s < 150; s++) {
        let [a, b] = [((s % 25) + 0.3) / 26, (Math.floor(s / 25) + 0.4) / 7];
        if (a + b > 1) [a, b] = [1 - a, 1 - b];
        const c = (q[t] + a * (q[t + 2] - q[t]) + b * (q[t + 4] - q[t])) / cell;
        const d = (q[t + 1] + a * (q[t + 3] - q[t + 1]) + b * (q[t + 5] - q[t + 1])) / cell;
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
])('the layout of a %s has few islands, little stretch and no two on one spot', async (_n, mesh) => {
  const atlas = await unwrapMesh(mesh, { mapSize: 512, gap: 3 }, ctx);
  expect(atlas.charts).toBeLessThan(25);
  expect(atlas.coverage).toBeGreaterThan(0.45);
  expect(atlas.stretch95).toBeLessThan(1.25);
  expect(countOverlaps(atlas)).toBe(0);
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
  expect(mirrored).toBe(0);
  expect(clashes).toBe(0);
  expect(outside).toBe(0);
});

/** A wall of quads over a rectangle of its own two lengths, bent by `place`. */
function wall(columns: number, rows: number, place: (s: number, t: number) => [number, number, number]): TriangleMesh {
  const positions: number[] = [];
  const indices: number[] = [];
  for (let j = 0; j <= rows; j++) for (let i = 0; i <= columns; i++) positions.push(...place(i / columns, j / rows));
  for (let j = 0; j < rows; j++) {
    for (let i = 0; i < columns; i++) {
      const a = j * (columns + 1) + i;
      indices.push(a, a + 1, a + columns + 2, a, a + columns + 2, a + columns + 1);
    }
  }
  return { positions: Float32Array.from(positions), indices: Uint32Array.from(indices) };
}

test.each([
  ['cylinder', (s: number, t: number) => [20 * Math.cos(1.9 * s), 20 * Math.sin(1.9 * s), 40 * t]],
  ['cone', (s: number, t: number) => [(8 + 15 * t) * Math.cos(2 * s), (8 + 15 * t) * Math.sin(2 * s), -30 * t]],
] as const)('part of a %s rolls out flat without stretch', async (_n, place) => {
  // A rolled sheet keeps its lengths: only the facets of the mesh differ from it.
  const atlas = await unwrapMesh(
    wall(40, 40, (s, t) => [...place(s, t)] as [number, number, number]),
    {},
    ctx,
  );
  expect(atlas.stretch95).toBeLessThan(1.01);
  expect(countOverlaps(atlas)).toBe(0);
});

test('triangles that lie over each other are found, those that touch are not', () => {
  const random = createRandom(5);
  const uv = Float64Array.from({ length: 6 * 120 }, (_, i) => {
    // Small triangles strewn over a square.
    const middle = createRandom(Math.floor(i / 6) + 100);
    const at = [middle(), middle()][i % 2];
    return 10 * at + random();
  });
  const corners = Int32Array.from({ length: 360 }, (_, i) => i);
  const found = overlappingPairs(uv, corners);
  // Points of one that lie inside the other, or edges that cross, tell the same.
  let pairs = 0;
  for (let a = 0; a < 120; a++) for (let b = 0; b < a; b++) if (meet(uv, a, b)) pairs++;
  expect(pairs).toBeGreaterThan(20);
  expect(found.length / 2).toBe(pairs);
  const square = Float64Array.of(0, 0, 1, 0, 1, 1, 0, 1);
  expect(overlappingPairs(square, Int32Array.of(0, 1, 2, 0, 2, 3))).toHaveLength(0);
  expect(overlappingPairs(square, Int32Array.of(0, 1, 2, 0, 1, 3))).toHaveLength(2);
});

/** Whether two of the triangles have an inner point in common, by edges and corners. */
function meet(uv: Float64Array, a: number, b: number): boolean {
  const point = (t: number, k: number): [number, number] => [uv[6 * t + 2 * (k % 3)], uv[6 * t + 2 * (k % 3) + 1]];
  const side = (p: [number, number], q: [number, number], r: [number, number]): number =>
    Math.sign((q[0] - p[0]) * (r[1] - p[1]) - (q[1] - p[1]) * (r[0] - p[0]));
  const inside = (t: number, r: [number, number]): boolean => {
    const s = [0, 1, 2].map((k) => side(point(t, k), point(t, k + 1), r));
    return s[0] === s[1] && s[1] === s[2];
  };
  for (let i = 0; i < 3; i++) {
    if (inside(a, point(b, i)) || inside(b, point(a, i))) return true;
    for (let j = 0; j < 3; j++) {
      const [p, q, r, s] = [point(a, i), point(a, i + 1), point(b, j), point(b, j + 1)];
      if (side(p, q, r) !== side(p, q, s) && side(r, s, p) !== side(r, s, q)) return true;
    }
  }
  return false;
}
