import { CylinderGeometry } from 'three';
import type { TriangleMesh } from '@amber-knit/core/geometry';
import { weldVertices } from '@amber-knit/core/mesh';
import { createRunContext } from '@amber-knit/core/runtime';
import { mendAll } from './mend-all.js';
import { mendHoles } from './mend-holes.js';
import { mendOpenings } from './mend-openings.js';
import { mendReduce } from './mend-reduce.js';

const ctx = createRunContext();
const ALL = { maxRim: 0, shape: 'smooth', fragmentRatio: 0.05, evenRounds: 0 } as const;

/** A pipe open at both ends, the upper one wider. */
function pipe(): TriangleMesh {
  const g = new CylinderGeometry(22, 20, 60, 48, 24, true);
  return weldVertices({
    // Rounded, so that both sides of the seam stand at the same place.
    positions: Float32Array.from(g.getAttribute('position').array, (x) => Math.round(1e4 * x) / 1e4),
    indices: Uint32Array.from(g.index!.array),
  });
}
const marked = (holes: string, mesh = pipe(), meant = true) => mendOpenings.run({ mesh }, { holes, meant }, ctx);

test('what is meant to be open stays open, and the verdict says so', async () => {
  const { outputs, figures } = await marked('1');
  expect(figures).toMatchObject({ meantOpen: 1, holes: 2, marked: 1 });
  expect(mendOpenings.summarize(figures)).toBe('1 of 2 holes meant to be open');
  const mended = await mendAll.run({ mesh: outputs.mesh! }, ALL, ctx);
  expect(mended.figures).toMatchObject({ filledHoles: 1, leftOpen: 1, meantOpen: 1, watertight: false });
  expect(mendAll.summarize(mended.figures)).toMatch(/^Closed but for 1 opening meant to be open: 1 holes filled/);
  // It is the wider end.
  const { positions: p, indices } = mended.outputs.mesh!;
  expect(Math.max(...Array.from(indices, (v) => p[3 * v + 1]))).toBeCloseTo(30, 3);
  const both = await mendAll.run({ mesh: pipe() }, ALL, ctx);
  expect(both.figures).toMatchObject({ filledHoles: 2, watertight: true });
  expect('meantOpen' in both.figures).toBe(false);
});

test('the mark goes along when the surface is reduced, and can be taken away', async () => {
  const { outputs } = await marked('1-2');
  const { outputs: light } = await mendReduce.run({ mesh: outputs.mesh! }, { triangles: 600, maxDeviation: 0 }, ctx);
  const kept = await mendAll.run({ mesh: light.mesh! }, ALL, ctx);
  expect(kept.figures).toMatchObject({ filledHoles: 0, meantOpen: 2 });
  const none = await marked('', light.mesh!, false);
  expect(none.figures).toMatchObject({ meantOpen: 0, marked: 2 });
});

test('chosen by hand, even an opening that is meant is filled', async () => {
  const { outputs } = await marked('1');
  const filled = await mendHoles.run({ mesh: outputs.mesh! }, { holes: '1', shape: 'flat' }, ctx);
  expect(filled.figures).toMatchObject({ filledHoles: 1, leftOpen: 1 });
  await expect(marked('3')).rejects.toThrow('"3" is no hole');
});
