import { cutOut, meshOf, sphere } from '../../test/shapes.js';
import { enclosedVolume } from '../measure/index.js';
import { orientTriangles, weldVertices } from './index.js';
import { inspectTopology } from './topology.js';

const ball = meshOf(sphere(10), 10, 1);

test('triangles turned at random are turned back, closed parts outside out', () => {
  const mixed = ball.indices.slice();
  let wrong = 0;
  for (let t = 0; t < mixed.length; t += 3) {
    if ((t * 7919) % 5 < 3) continue;
    [mixed[t + 1], mixed[t + 2]] = [mixed[t + 2], mixed[t + 1]];
    wrong++;
  }
  const r = orientTriangles({ ...ball, indices: mixed });
  expect(r.turned).toBe(wrong);
  expect(r.mesh.indices).toEqual(ball.indices);
  const inside = orientTriangles({ ...ball, indices: ball.indices.slice().reverse() });
  expect(enclosedVolume(inside.mesh)).toBeCloseTo(enclosedVolume(ball), 3);
});

test('an open part keeps what most of its triangles say', () => {
  const half = cutOut(ball, (_x, _y, z) => z > 0);
  const mixed = half.indices.slice();
  [mixed[1], mixed[2]] = [mixed[2], mixed[1]];
  expect(orientTriangles({ ...half, indices: mixed })).toMatchObject({ turned: 1, mesh: { indices: half.indices } });
});

test('a soup of triangles becomes one surface', () => {
  const soup = {
    positions: Float32Array.from(
      Array.from(ball.indices).flatMap((v) => Array.from(ball.positions.subarray(3 * v, 3 * v + 3))),
    ),
    indices: Uint32Array.from(ball.indices, (_, i) => i),
  };
  expect(inspectTopology(soup).watertight).toBe(false);
  const welded = weldVertices(soup);
  expect(welded.positions).toHaveLength(ball.positions.length);
  expect(inspectTopology(welded)).toMatchObject({ watertight: true, pieces: 1 });
});
