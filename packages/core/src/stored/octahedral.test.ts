import { createRandom } from '../math/index.js';
import { fromOctahedral, toOctahedral } from './octahedral.js';

test('unit vectors come back to within 0.004°, the axes as they are', () => {
  const random = createRandom(3);
  const n = 20_000;
  const vectors = new Float32Array(3 * n);
  for (let i = 0; i < n; i++) {
    const z = 2 * random() - 1;
    const a = 2 * Math.PI * random();
    const r = Math.sqrt(1 - z * z);
    vectors.set([r * Math.cos(a), r * Math.sin(a), z], 3 * i);
  }
  const back = fromOctahedral(toOctahedral(vectors));
  let worst = 0;
  for (let i = 0; i < 3 * n; i += 3) {
    const d = Math.hypot(back[i] - vectors[i], back[i + 1] - vectors[i + 1], back[i + 2] - vectors[i + 2]);
    worst = Math.max(worst, (2 * Math.asin(d / 2) * 180) / Math.PI);
  }
  expect(worst).toBeLessThan(0.004);
  expect(worst).toBeGreaterThan(0.0005);
  const axes = Float32Array.from([1, 0, 0, -1, 0, 0, 0, 1, 0, 0, -1, 0, 0, 0, 1, 0, 0, -1]);
  expect(Array.from(fromOctahedral(toOctahedral(axes)), (v) => v || 0)).toEqual(Array.from(axes));
  expect(Array.from(fromOctahedral(toOctahedral(new Float32Array(3))))).toEqual([0, 0, 1]);
});
