import { triangleCount, vertexCount, type TriangleMesh } from '@amber-knit/core/geometry';
import { createRandom } from '@amber-knit/core/math';
import { createRunContext } from '@amber-knit/core/runtime';
import { mendDenoise } from './mend-denoise.js';
import { mendEven } from './mend-even.js';
import { mendReduce } from './mend-reduce.js';

const RADIUS = 30;
const ctx = createRunContext();

/** A ball of rings of triangles, its upper half invented, with noise along the radius. */
function ball(noise: number): TriangleMesh {
  const random = createRandom(3);
  const rings = 60;
  const around = 120;
  const positions: number[] = [];
  const indices: number[] = [];
  const put = (theta: number, phi: number): void => {
    // Towards the poles the triangles are too narrow for all of it.
    const r =
      RADIUS + Math.sin(theta) ** 2 * noise * Math.sqrt(-2 * Math.log(1 - random())) * Math.cos(2 * Math.PI * random());
    positions.push(r * Math.sin(theta) * Math.cos(phi), r * Math.sin(theta) * Math.sin(phi), r * Math.cos(theta));
  };
  put(0, 0);
  for (let i = 1; i < rings; i++)
    for (let j = 0; j < around; j++) put((Math.PI * i) / rings, (2 * Math.PI * (j + i / 2)) / around);
  put(Math.PI, 0);
  const at = (i: number, j: number): number => 1 + (i - 1) * around + (j % around);
  const last = positions.length / 3 - 1;
  for (let j = 0; j < around; j++) {
    indices.push(0, at(1, j), at(1, j + 1), last, at(rings - 1, j + 1), at(rings - 1, j));
    for (let i = 1; i + 1 < rings; i++)
      indices.push(at(i, j), at(i + 1, j), at(i, j + 1), at(i, j + 1), at(i + 1, j), at(i + 1, j + 1));
  }
  return {
    positions: Float32Array.from(positions),
    indices: Uint32Array.from(indices),
    invented: Uint8Array.from({ length: positions.length / 3 }, (_, v) => (positions[3 * v + 2] > 0 ? 1 : 0)),
  };
}

test('reducing reaches the number, keeps what is invented, and tells how far the surface moved', async () => {
  const mesh = ball(0);
  const { outputs, figures } = await mendReduce.run({ mesh }, { triangles: 2000, maxDeviation: 0 }, ctx);
  const light = outputs.mesh!;
  expect(figures).toMatchObject({ triangles: 2000, crossings: 0, watertight: true });
  expect(triangleCount(light)).toBe(2000);
  expect(figures.deviationRms).toBeGreaterThan(0);
  expect(figures.deviationRms).toBeLessThan(0.05);
  expect(figures.deviationMax).toBeLessThan(0.3);
  for (let v = 0; v < vertexCount(light); v++) {
    const z = light.positions[3 * v + 2];
    if (Math.abs(z) > 2) expect(light.invented![v]).toBe(z > 0 ? 1 : 0);
  }
  expect(mendReduce.summarize(figures)).toMatch(/to 2,?.?000 triangles/);
});

test('the largest deviation is measured, and kept', async () => {
  const mesh = ball(0.01);
  const { outputs, figures } = await mendReduce.run({ mesh }, { triangles: 100, maxDeviation: 0.08 }, ctx);
  expect(figures.deviationMax).toBeLessThanOrEqual(0.08);
  expect(triangleCount(outputs.mesh!)).toBeLessThan(triangleCount(mesh) / 3);
  expect(triangleCount(outputs.mesh!)).toBeGreaterThan(100);
});

test('noise is told and taken away, no further than asked', async () => {
  const mesh = ball(0.1);
  const off = (m: TriangleMesh): number => {
    let sum = 0;
    for (let v = 0; v < vertexCount(m); v++) {
      const [x, y, z] = m.positions.subarray(3 * v, 3 * v + 3);
      sum += (Math.hypot(x, y, z) - RADIUS) ** 2;
    }
    return Math.sqrt(sum / vertexCount(m));
  };
  const { outputs, figures } = await mendDenoise.run({ mesh }, { within: 0 }, ctx);
  expect(off(outputs.mesh!)).toBeLessThan(0.5 * off(mesh));
  expect(figures.watertight).toBe(true);
  expect(outputs.mesh!.invented).toBe(mesh.invented);
  const little = await mendDenoise.run({ mesh }, { within: 0.02 }, ctx);
  expect(little.figures.movedMax).toBeLessThanOrEqual(0.02001);
  expect(mendDenoise.summarize(little.figures)).toMatch(/noise of .* found/);
});

test('even triangles keep what is invented; too many of them are refused before', async () => {
  const mesh = ball(0);
  const { outputs, figures } = await mendEven.run({ mesh }, { edge: 3, crease: 40 }, ctx);
  expect(figures).toMatchObject({ crossings: 0, watertight: true });
  expect(figures.spread).toBeLessThan(0.15);
  expect(figures.spreadBefore).toBeGreaterThan(0.25);
  expect(outputs.mesh!.invented!.some((v) => v === 1)).toBe(true);
  expect(mendEven.summarize(figures)).toMatch(/triangles with edges of 3\.?\d* mm|triangles with edges of 2\.\d+ mm/);
  const asNow = await mendEven.run({ mesh }, { edge: 0, crease: 40 }, ctx);
  expect(asNow.figures.triangles! / asNow.figures.trianglesBefore!).toBeGreaterThan(0.5);
  await expect(mendEven.run({ mesh }, { edge: 0.001, crease: 40 }, ctx)).rejects.toThrow(/Ask for longer ones/);
});
