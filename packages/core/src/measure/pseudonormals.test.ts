import type { TriangleMesh } from '../geometry/triangle-mesh.js';
import { createRandom } from '../math/random.js';
import { createRunContext } from '../runtime/run-context.js';
import { measureDeviation } from './index.js';

/** A prism over a polygon, as separate triangles or joined; counter-clockwise from outside. */
function prism(polygon: [number, number][], height: number, joined: boolean): TriangleMesh {
  const n = polygon.length;
  const points = [0, height].flatMap((z) => polygon.map(([x, y]) => [x, y, z]));
  const faces: number[] = [];
  for (let i = 0; i < n; i++) {
    const j = (i + 1) % n;
    faces.push(i, j, n + j, i, n + j, n + i);
  }
  for (let i = 1; i + 1 < n; i++) faces.push(0, i + 1, i, n, n + i, n + i + 1);
  if (joined) return { positions: Float32Array.from(points.flat()), indices: Uint32Array.from(faces) };
  return {
    positions: Float32Array.from(faces.flatMap((f) => points[f])),
    indices: Uint32Array.from(faces, (_, i) => i),
  };
}

/** A blade: its edge has an angle of 5 degrees, where the normal of one triangle alone says the wrong side. */
const blade: [number, number][] = [
  [0, 0],
  [40, -1.75],
  [40, 1.75],
];

test.each([
  ['joined', true],
  ['of loose triangles', false],
])('beside the sharp edge of a blade, %s, what is outside is told as outside', (_name, joined) => {
  const mesh = prism(blade, 20, joined);
  const random = createRandom(4);
  const points: number[] = [];
  const inside: boolean[] = [];
  for (let i = 0; i < 4000; i++) {
    const [x, y, z] = [-6 + 12 * random(), -4 + 8 * random(), -3 + 26 * random()];
    points.push(x, y, z);
    // Closed form: between the two planes through the edge, and between the lids.
    inside.push(Math.abs(y) < (1.75 / 40) * x && x < 40 && z > 0 && z < 20);
  }
  const { distances } = measureDeviation(Float32Array.from(points), mesh, 50, createRunContext());
  const wrong = inside.filter((is, i) => Math.abs(distances[i]) > 1e-3 && is !== distances[i] < 0).length;
  expect(wrong).toBe(0);
});
