import type { Vec3 } from '../math/mat4.js';
import { createRandom } from '../math/index.js';
import { createRunContext } from '../runtime/index.js';
import { spherePoints } from '../../test/shapes.js';
import { estimateNormalsByCell } from './cell-normals.js';
import { estimateNormals } from './normals.js';

const ctx = createRunContext();
const RADIUS = 50;
/** A ball of so dense points that their noise is about as wide as their spacing. */
const random = createRandom(7);
const NOISE = 0.4;
const truth = spherePoints(60_000, 1);
const positions = new Float32Array(truth.length);
for (let i = 0; i < truth.length; i += 3) {
  const gauss = Math.sqrt(-2 * Math.log(1 - random())) * Math.cos(2 * Math.PI * random());
  for (let k = 0; k < 3; k++) positions[i + k] = (RADIUS + NOISE * gauss) * truth[i + k];
}
const eyes: Vec3[] = [0, 1, 2].flatMap((k) =>
  [-500, 500].map((v) => [0, 0, 0].map((_, j) => (j === k ? v : 0)) as Vec3),
);

/** Angle to the true normal, root mean square, degrees; a normal of the wrong side counts 180°. */
function error(normals: Float32Array): number {
  let sum = 0;
  for (let i = 0; i < normals.length; i += 3) {
    const dot = normals[i] * truth[i] + normals[i + 1] * truth[i + 1] + normals[i + 2] * truth[i + 2];
    sum += Math.acos(Math.min(1, dot)) ** 2;
  }
  return (Math.sqrt(sum / (normals.length / 3)) * 180) / Math.PI;
}

test('normals of cells lie nearer to the truth than those of the nearest points, on the right side', () => {
  const { normals, noise } = estimateNormalsByCell({ positions }, eyes, ctx);
  const usual = estimateNormals({ positions }, eyes, {}, ctx).normals;
  expect(error(normals)).toBeLessThan(0.7 * error(usual));
  expect(error(normals)).toBeLessThan(3);
  expect(Math.abs(noise / NOISE - 1)).toBeLessThan(0.15);
});

test('without a viewpoint the side comes from the shape', () => {
  expect(error(estimateNormalsByCell({ positions }, [], ctx).normals)).toBeLessThan(3);
});

test('a few points in a line, and one', () => {
  const line = Float32Array.from({ length: 30 }, (_, i) => (i % 3 === 0 ? i : 0));
  const { normals } = estimateNormalsByCell({ positions: line }, eyes, ctx);
  for (let i = 0; i < 30; i += 3) expect(Math.hypot(normals[i], normals[i + 1], normals[i + 2])).toBeCloseTo(1, 5);
  expect(estimateNormalsByCell({ positions: new Float32Array(3) }, eyes, ctx).normals).toHaveLength(3);
});
