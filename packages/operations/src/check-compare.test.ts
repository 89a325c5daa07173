import type { TriangleMesh } from '@amber-knit/core/geometry';
import { writeStl } from '@amber-knit/core/io';
import { fromAxisAngle, fromTranslation, multiply, transformPoints } from '@amber-knit/core/math';
import { createRunContext } from '@amber-knit/core/runtime';
import { decodeDeviation, encodeDeviation } from '@amber-knit/core/stored';
import { BoxGeometry } from 'three';
import { checkCompare, CheckCompareParams } from './check-compare.js';
import { parseParams } from './params.js';

const geometry = new BoxGeometry(60, 40, 20, 30, 20, 10);
const box = {
  positions: Float32Array.from(geometry.getAttribute('position').array),
  indices: Uint32Array.from(geometry.getIndex()!.array),
};
const file = (bytes: Uint8Array, name = 'plan.stl') => ({ name, mediaType: '', bytes });
const run = (mesh: TriangleMesh, bytes: Uint8Array, values: object = {}) =>
  checkCompare.run({ mesh, file: file(bytes) }, parseParams(CheckCompareParams, values), createRunContext({ seed: 1 }));

test('a piece against its plan, in another unit and a little off its place', async () => {
  const plan = writeStl({ ...box, positions: box.positions.map((v) => v / 25.4) }, 'plan');
  const away = multiply(fromTranslation(0.6, 0.3, -0.4), fromAxisAngle([0, 0, 1], 0.02));
  const piece = { ...box, positions: transformPoints(away, box.positions) };
  const { outputs, figures } = await run(piece, plan, { unit: 'in', place: 'near', tolerance: 0.05 });
  expect(figures.within).toBeCloseTo(1, 5);
  expect(figures.largest).toBeLessThan(0.01);
  expect(figures.turned).toBeCloseTo(0.02, 3);
  expect(checkCompare.summarize(figures)).toMatch(/^100.0 % of the measured surface within 0.050 mm of plan.stl/);
  expect(outputs.deviation.values).toHaveLength(piece.positions.length / 3);
  const asItLies = await run(piece, plan, { unit: 'in', place: 'as-is', tolerance: 0.05 });
  expect(asItLies.figures.within).toBeLessThan(0.6);
});

test('deviations are stored and come back with what they were measured against', async () => {
  const { outputs } = await run(box, writeStl(box, 'plan'), { place: 'as-is' });
  const back = decodeDeviation(encodeDeviation(outputs.deviation));
  expect(back).toEqual(outputs.deviation);
  expect(() => decodeDeviation(new Uint8Array(40))).toThrow();
});

test('a reference without triangles is refused with what to do', async () => {
  const points = new TextEncoder().encode(Array.from({ length: 200 }, (_, i) => `${i} ${i % 7} 0`).join('\n'));
  const mesh = box;
  const params = parseParams(CheckCompareParams, {});
  const asked = checkCompare.run({ mesh, file: file(points, 'points.xyz') }, params, createRunContext({ seed: 1 }));
  await expect(asked).rejects.toThrow(/points without triangles/);
});
