import type { Placement, Scan } from '@amber-knit/core/geometry';
import { createRunContext } from '@amber-knit/core/runtime';
import { findOperation, parseParams, runOperation } from './index.js';

const scans: Scan[] = [{ name: 'Foot ring', cloud: { positions: new Float32Array(3) } }];
const placements = [{ name: 'Foot ring', state: 'registered' }] as Placement[];
const foot = { name: 'The foot', how: 'only', scans: ['Foot ring'], balls: [[0, 0, 0, 5]], width: 2 };
const run = (regions: unknown[]) =>
  runOperation(findOperation('fuse.trust'), { scans, placements }, { regions }, createRunContext());

test('places are kept as they were given', async () => {
  const { outputs, figures } = await run([foot]);
  expect(outputs.trust).toEqual({ regions: [foot] });
  expect(figures).toMatchObject({ places: 1, lost: 0, list: 'The foot: only Foot ring' });
});

test('scans that are not there are told', async () => {
  const { figures } = await run([{ ...foot, scans: ['Foot ring', 'Lid'] }]);
  expect(figures.lost).toBe(1);
});

test.each([
  [{ ...foot, how: 'perhaps' }, /how/],
  [{ ...foot, scans: [] }, /scans/],
  [{ ...foot, balls: [[0, 0, 0, -1]] }, /balls must be balls of four numbers/],
  [{ ...foot, balls: [[0, 0, Infinity, 1]] }, /balls/],
  [{ ...foot, width: 0 }, /width/],
  [{ ...foot, depth: 1 }, /depth/],
])('%j is refused by name', (region, message) => {
  expect(() => parseParams(findOperation('fuse.trust').params, { regions: [region] })).toThrow(message);
});
