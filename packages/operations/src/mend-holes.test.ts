import { createRunContext } from '@amber-knit/core/runtime';
import type { TriangleMesh } from '@amber-knit/core/geometry';
import { mendHoles, type MendHolesParams } from './mend-holes.js';

/** A box of 20 × 20 × 30 mm without its lid, and without one triangle of its floor. */
function box(): TriangleMesh {
  const at = (i: number): number[] => [i & 1 ? 20 : 0, i & 2 ? 20 : 0, i & 4 ? 30 : 0];
  const faces = [
    [0, 2, 3],
    [0, 3, 1],
    [0, 1, 5],
    [0, 5, 4],
    [1, 3, 7],
    [1, 7, 5],
    [3, 2, 6],
    [3, 6, 7],
    [2, 0, 4],
    [2, 4, 6],
  ];
  return {
    positions: Float32Array.from([0, 1, 2, 3, 4, 5, 6, 7].flatMap(at)),
    indices: Uint32Array.from(faces.slice(1).flat()),
  };
}
const run = (params: Partial<MendHolesParams>) =>
  mendHoles.run({ mesh: box() }, { holes: '', shape: 'flat', ...params }, createRunContext());

test('only the chosen hole is filled, the lid before the small one in the floor', async () => {
  const { figures, outputs } = await run({ holes: '1' });
  expect(figures).toMatchObject({ filledHoles: 1, leftOpen: 1, wouldCross: 0 });
  expect(outputs.mesh!.indices.length / 3).toBe(9 + 2);
  const all = await run({});
  expect(all.figures).toMatchObject({ filledHoles: 2, leftOpen: 0 });
  expect(mendHoles.summarize(all.figures)).toMatch(/^2 holes filled, 0 left/);
});

test('numbers that are no hole are refused with how many there are', async () => {
  for (const holes of ['0', '3', 'one', '1,,2'])
    await expect(run({ holes })).rejects.toThrow(/is no hole of this surface: it has 2, numbered from 1/);
});
