import type { Placement } from '@amber-knit/core/geometry';
import { fromTranslation } from '@amber-knit/core/math';
import { createRunContext } from '@amber-knit/core/runtime';
import { findOperation, runOperation } from './index.js';

const agreement = { overlap: 0.4, contradicted: 0, paint: 0, marks: 0, marksAgree: 1 };
const doubt = {
  scans: ['d'],
  chosen: agreement,
  rivals: [{ pieceFromPiece: fromTranslation(0, 0, 9), agreement }],
};
const placements: Placement[] = [
  { name: 'a', state: 'registered', pieceFromScan: fromTranslation(1, 0, 0), residual: 0.1 },
  { name: 'b', state: 'placed', pieceFromScan: fromTranslation(2, 0, 0) },
  { name: 'c', state: 'loose', pieceFromScan: fromTranslation(0, 0, 0) },
  { name: 'd', state: 'placed', pieceFromScan: fromTranslation(3, 0, 0), doubt },
];
const run = (id: string, params: object, before: Placement[]) =>
  runOperation(findOperation(id), { placements: before }, params, createRunContext());

test('scans are locked and let go; nothing else about them changes', async () => {
  const { outputs, figures } = await run('register.lock', { only: ['a', 'b'] }, placements);
  expect(outputs.placements).toEqual([
    { ...placements[0], locked: true },
    { ...placements[1], locked: true },
    placements[2],
    placements[3],
  ]);
  expect(figures).toEqual({ scans: 2, locked: true });
  const back = await run('register.lock', { only: ['a', 'b'], lock: false }, outputs.placements!);
  expect(back.outputs.placements).toEqual(placements);
});

test('none chosen means all that have a place', async () => {
  const { outputs, figures } = await run('register.lock', { only: [] }, placements.slice(0, 3));
  expect(outputs.placements!.map((p) => p.locked)).toEqual([true, true, undefined]);
  expect(figures).toEqual({ scans: 2, locked: true });
});

test('what has no place, or several, is not locked', async () => {
  await expect(run('register.lock', { only: ['a', 'c'] }, placements)).rejects.toThrow(/c can't be locked: no place/);
  await expect(run('register.lock', { only: ['x'] }, placements)).rejects.toThrow(/x can't be locked/);
  await expect(run('register.lock', { only: ['d'] }, placements)).rejects.toThrow(/d can't be locked: other places/);
});

test('an excluded scan is no longer locked', async () => {
  const { outputs } = await run('register.lock', { only: ['a'] }, placements);
  const excluded = (await run('register.exclude', { only: ['a'] }, outputs.placements!)).outputs.placements!;
  expect(excluded.find((p) => p.name === 'a')).toEqual({ ...placements[0], state: 'excluded', residual: undefined });
});
