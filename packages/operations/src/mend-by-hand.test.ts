import { SphereGeometry } from 'three';
import { boundsOf, type TriangleMesh } from '@amber-knit/core/geometry';
import { weldVertices } from '@amber-knit/core/mesh';
import { createRunContext, type GeometryError } from '@amber-knit/core/runtime';
import { mendByHand } from './mend-by-hand.js';
import { parseParams } from './params.js';

const notes: string[] = [];
const ctx = createRunContext({ onNote: (n) => void notes.push(n) });

function ball(): TriangleMesh {
  const g = new SphereGeometry(20, 64, 48);
  return weldVertices({
    // Rounded, so that both sides of the seam stand at the same place.
    positions: Float32Array.from(g.getAttribute('position').array, (x) => Math.round(1e4 * x) / 1e4),
    indices: Uint32Array.from(g.index!.array),
  });
}
const flat = (v: number[]): [number, number, number] => v as [number, number, number];

test('edits are done one after the other and told; one without a place is left out and named', async () => {
  const { edits } = parseParams(mendByHand.params, {
    edits: [
      { kind: 'push', dabs: [[0, 0, 20, 6, 1]], amount: 1 },
      { kind: 'erase', dabs: [[400, 0, 0, 3, 1]] },
      { kind: 'cut', at: [0, 0, -10], normal: [0, 0, 1], cap: true },
    ],
  });
  const { outputs, figures } = await mendByHand.run({ mesh: ball() }, { edits }, ctx);
  expect(figures).toMatchObject({
    edits: 2,
    leftOut: 1,
    watertight: true,
    crossings: 0,
    holes: 0,
    list: 'pushed, cut',
  });
  expect(figures.farthest).toBeCloseTo(1, 1);
  expect(notes.join()).toMatch('Edit 2 (erased) was left out. There is no surface under the brush');
  const { min, max } = boundsOf(outputs.mesh!.positions);
  expect([min[2], max[2]].map((z) => Number(z.toFixed(2)))).toEqual([-10, 21]);
  expect(mendByHand.summarize(figures)).toBe('2 edits by hand, moved up to 1.00 mm');
});

test('no edit, or none that finds its place, is refused', async () => {
  const refused = async (edits: unknown): Promise<string> =>
    mendByHand.run({ mesh: ball() }, parseParams(mendByHand.params, { edits }), ctx).then(
      () => 'not refused',
      (e: GeometryError) => e.message,
    );
  expect(await refused([])).toMatch('Nothing was drawn');
  expect(await refused([{ kind: 'erase', dabs: [[400, 0, 0, 3, 1]] }])).toMatch('None of these edits');
  expect(() => parseParams(mendByHand.params, { edits: [{ kind: 'erase', dabs: flat([1, 2, 3]) }] })).toThrow(
    'Edits (edits): edit 1 (erase) has no lawful dabs',
  );
});
