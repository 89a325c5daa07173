import type { Placement } from '@amber-knit/core/geometry';
import { fromTranslation } from '@amber-knit/core/math';
import { createRunContext } from '@amber-knit/core/runtime';
import { findOperation, runOperation } from './index.js';

const placements: Placement[] = [
  { name: 'a', state: 'registered', pieceFromScan: fromTranslation(1, 0, 0), residual: 0.1 },
  { name: 'b', state: 'loose', pieceFromScan: fromTranslation(0, 0, 0) },
];
const run = (params: object, before?: Placement[]) =>
  runOperation(findOperation('register.exclude'), before ? { placements: before } : {}, params, createRunContext());

test('scans are excluded and taken in again, loose; others stay as they are', async () => {
  const { outputs, figures } = await run({ only: ['a'] }, placements);
  expect(outputs.placements!.map((p) => [p.name, p.state])).toEqual([
    ['b', 'loose'],
    ['a', 'excluded'],
  ]);
  expect(outputs.placements![1].residual).toBeUndefined();
  expect(figures).toMatchObject({ scans: 1, excluded: true });
  const back = await run({ only: ['a', 'b'], exclude: false }, outputs.placements);
  expect(back.outputs.placements!.map((p) => p.state)).toEqual(['loose', 'loose']);
});

test('a scan can be excluded before anything is registered', async () => {
  const { outputs } = await run({ only: ['c'] });
  expect(outputs.placements).toMatchObject([{ name: 'c', state: 'excluded' }]);
});
