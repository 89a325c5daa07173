import { BoxGeometry } from 'three';
import type { TriangleMesh } from '@amber-knit/core/geometry';
import { createRunContext } from '@amber-knit/core/runtime';
import { encodeMesh } from '@amber-knit/core/stored';
import { checkPlacings, CheckPlacingsParams, placingText } from './check-placings.js';
import { checkSurroundings, CheckSurroundingsParams } from './check-surroundings.js';
import { parseParams } from './params.js';

const box = (x: number, y: number, z: number): TriangleMesh => {
  const g = new BoxGeometry(x, y, z);
  return {
    positions: Float32Array.from(g.getAttribute('position').array),
    indices: Uint32Array.from(g.getIndex()!.array),
  };
};
const at = (x: number, y: number, z: number): number[] => [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, x, y, z, 1];
const file = (bytes: Uint8Array, name: string) => ({ name, bytes, mediaType: '' });

test('surroundings come from a stored surface in millimetres, whatever unit is said', async () => {
  const { outputs, figures } = await checkSurroundings.run(
    { file: file(encodeMesh(box(40, 30, 20)), 'Corner') },
    parseParams(CheckSurroundingsParams, { unit: 'm' }),
    createRunContext(),
  );
  expect(outputs.surroundings.name).toBe('Corner');
  expect(checkSurroundings.summarize(figures)).toBe('Corner: 40 × 30 × 20 mm, 12 triangles');
});

test('stored data that are no surface are refused by what to do', async () => {
  const points = encodeMesh({ positions: new Float32Array(9), indices: new Uint32Array(0) });
  const asked = checkSurroundings.run(
    { file: file(points, 'x') },
    parseParams(CheckSurroundingsParams, {}),
    createRunContext(),
  );
  await expect(asked).rejects.toThrow(/hold no surface/);
});

test('each placing is told with its figures, the ways between where they are wanted', async () => {
  const surroundings = { name: 'Corner', mesh: box(40, 40, 10) };
  const placings = [
    { name: 'Beside', note: '', sceneFromPiece: at(0, 0, 11) },
    { name: 'Into it', note: '', sceneFromPiece: at(0, 0, 9) },
  ];
  const run = (ways: boolean) =>
    checkPlacings.run(
      { mesh: box(10, 10, 10), surroundings },
      parseParams(CheckPlacingsParams, { placings, ways }),
      createRunContext(),
    );
  const { outputs, figures } = await run(false);
  expect(outputs.placings.found.map(placingText)).toEqual(['clear by 1.00 mm', 'clash 1.00 mm deep, 100.0 mm³']);
  expect(outputs.placings.ways).toEqual([]);
  expect(checkPlacings.summarize(figures)).toBe('2 placings, 1 clashing, least clearance 1.00 mm');
  expect(checkPlacings.cell!(figures)).toEqual({ figure: '2 placed', detail: '1 clash' });
  const { outputs: more, figures: both } = await run(true);
  expect([more.placings.ways.length, both.tightest! < -0.9]).toEqual([1, true]);
  const none = await checkPlacings.run(
    { mesh: box(1, 1, 1), surroundings },
    parseParams(CheckPlacingsParams, { placings: [] }),
    createRunContext(),
  );
  expect(checkPlacings.summarize(none.figures)).toBe('0 placings');
});
