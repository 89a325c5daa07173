import type { TriangleMesh } from '@amber-knit/core/geometry';
import { createRunContext } from '@amber-knit/core/runtime';
import { mendFaults } from './mend-faults.js';

const ctx = createRunContext();

/** An even ball of rings, with a vertex pulled out far, and a crumb beside it. */
function spiky(): TriangleMesh {
  const [rings, around, radius] = [40, 80, 20];
  const positions: number[] = [0, 0, radius];
  const indices: number[] = [];
  for (let i = 1; i < rings; i++)
    for (let j = 0; j < around; j++) {
      const [theta, phi] = [(Math.PI * i) / rings, (2 * Math.PI * (j + i / 2)) / around];
      const r = i === 20 && j === 7 ? radius + 6 : radius;
      positions.push(r * Math.sin(theta) * Math.cos(phi), r * Math.sin(theta) * Math.sin(phi), r * Math.cos(theta));
    }
  positions.push(0, 0, -radius);
  const at = (i: number, j: number): number => 1 + (i - 1) * around + (j % around);
  const last = positions.length / 3 - 1;
  for (let j = 0; j < around; j++) {
    indices.push(0, at(1, j), at(1, j + 1), last, at(rings - 1, j + 1), at(rings - 1, j));
    for (let i = 1; i + 1 < rings; i++)
      indices.push(at(i, j), at(i + 1, j), at(i, j + 1), at(i, j + 1), at(i + 1, j), at(i + 1, j + 1));
  }
  const n = positions.length / 3;
  positions.push(40, 0, 0, 41, 0, 0, 40, 1, 0, 40, 0, 1);
  indices.push(n, n + 2, n + 1, n, n + 1, n + 3, n, n + 3, n + 2, n + 1, n + 2, n + 3);
  return { positions: Float32Array.from(positions), indices: Uint32Array.from(indices) };
}

test('all that is safe: the spike goes, the crumb, which may be a part, stays', async () => {
  const { outputs, figures } = await mendFaults.run({ mesh: spiky() }, { faults: '' }, ctx);
  expect(figures).toMatchObject({ mended: 1, left: 1, filled: 1, crossings: 0 });
  const { positions: p, indices } = outputs.mesh!;
  let farthest = 0;
  for (const v of indices)
    if (p[3 * v] < 30) farthest = Math.max(farthest, Math.hypot(p[3 * v], p[3 * v + 1], p[3 * v + 2]));
  expect(farthest).toBeLessThan(20.2);
  expect(mendFaults.summarize(figures)).toBe('1 fault mended, 1 left');
});

test('only what is chosen; numbers that are none are refused', async () => {
  // The gravest first: the loose piece, the spike.
  const { figures } = await mendFaults.run({ mesh: spiky() }, { faults: '1' }, ctx);
  expect(figures).toMatchObject({ mended: 1, left: 1, filled: 0, removed: 4 });
  await expect(mendFaults.run({ mesh: spiky() }, { faults: '77' }, ctx)).rejects.toThrow('"77" is no fault');
});

test('a whole surface has nothing to mend and stays as it is', async () => {
  const { outputs } = await mendFaults.run({ mesh: spiky() }, { faults: '1-2' }, ctx);
  const again = await mendFaults.run({ mesh: outputs.mesh! }, { faults: '' }, ctx);
  expect(again.figures).toMatchObject({ mended: 0, left: 0, removed: 0 });
  expect(again.outputs.mesh!.indices).toEqual(outputs.mesh!.indices);
});
