import { createRandom } from '../math/index.js';
import { createRunContext } from '../runtime/index.js';
import { torus, meshOf, spherePoints } from '../../test/shapes.js';
import { vertexNormals } from '../geometry/index.js';
import { orientNormals } from './orient-normals.js';

const ctx = createRunContext();
/** Turns about every other normal round. */
function muddled(normals: Float32Array): Float32Array {
  const random = createRandom(3);
  const out = normals.slice();
  for (let i = 0; i < out.length; i += 3) if (random() < 0.5) for (let k = 0; k < 3; k++) out[i + k] = -out[i + k];
  return out;
}
const wrong = (got: Float32Array, truth: Float32Array): number => {
  let count = 0;
  for (let i = 0; i < got.length; i += 3)
    if (got[i] * truth[i] + got[i + 1] * truth[i + 1] + got[i + 2] * truth[i + 2] < 0) count++;
  return count;
};

test('a ball and a ring: all outwards', () => {
  const ball = spherePoints(8000, 50);
  const out = ball.map((v) => v / 50);
  expect(wrong(orientNormals(ball, muddled(out), ctx), out)).toBe(0);
  const ring = meshOf(torus(40, 14), 56, 1.5);
  const truth = vertexNormals(ring);
  expect(wrong(orientNormals(ring.positions, muddled(truth), ctx), truth)).toBe(0);
});

test('a scan of one side: towards where it bulges, also for a part that lies apart', () => {
  const ball = spherePoints(12000, 50);
  const front: number[] = [];
  for (let i = 0; i < ball.length; i += 3) if (ball[i + 2] > 15) front.push(ball[i], ball[i + 1], ball[i + 2]);
  const shell = Float32Array.from(front);
  const truth = shell.map((v) => v / 50);
  expect(wrong(orientNormals(shell, muddled(truth), ctx), truth)).toBe(0);
  const small = spherePoints(3000, 8).map((v, i) => v + [90, 0, 0][i % 3]);
  const smallTruth = small.map((v, i) => (v - [90, 0, 0][i % 3]) / 8);
  const both = new Float32Array([...shell, ...small]);
  const bothTruth = new Float32Array([...truth, ...smallTruth]);
  expect(wrong(orientNormals(both, muddled(bothTruth), ctx), bothTruth)).toBe(0);
});
