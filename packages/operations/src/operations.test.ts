import { readdirSync } from 'node:fs';
import { createRunContext } from '@amber-knit/core/runtime';
import {
  findOperation,
  OPERATIONS,
  paramFields,
  parseParams,
  parseParamText,
  pieceStats,
  RECIPES,
  runOperation,
  STAGES,
} from './index.js';
import { TAKING_AWAY } from './taking-away.js';

const here = new URL('.', import.meta.url).pathname;

test('what only takes points away can be shown beforehand, and nothing else', () => {
  expect(TAKING_AWAY).toEqual(OPERATIONS.filter((o) => o.takesAway));
});

test('the catalogue lists every operation file, with unique ids in working order', () => {
  const files = readdirSync(here).filter((f) =>
    /^(capture|clean|register|fuse|mend|texture|check|deliver)-[a-z-]+\.ts$/.test(f),
  );
  expect(OPERATIONS).toHaveLength(files.length);
  expect(new Set(OPERATIONS.map((o) => o.id)).size).toBe(OPERATIONS.length);
  const order = OPERATIONS.map((o) => STAGES.indexOf(o.stage));
  expect([...order].sort((a, b) => a - b)).toEqual(order);
});

test.each(OPERATIONS.map((o) => [o.id, o] as const))(
  '%s has valid defaults, help for every field and valid suggestions',
  (_id, o) => {
    expect(() => parseParams(o.params, {})).not.toThrow();
    const fields = paramFields(o.params);
    // Those of a shared parameter class too.
    expect(fields.map((f) => f.name).sort()).toEqual(Object.keys(new o.params()).sort());
    for (const f of fields) {
      expect(f.title).toBeTruthy();
      expect(f.help.length).toBeGreaterThan(15);
    }
    const stats = {
      scans: 8,
      points: 400_000,
      spacing: 0.5,
      diagonal: 160,
      hasFrames: true,
      hasColors: true,
      triangles: 300_000,
      hasModel: false,
      names: ['a'],
    };
    expect(() => parseParams(o.params, o.suggest(stats))).not.toThrow();
    expect(() => parseParams(o.params, o.suggest(pieceStats({})))).not.toThrow();
  },
);

test('wrong parameters are refused with their titles', () => {
  const { params } = findOperation('fuse.surface');
  expect(() => parseParams(params, { voxel: -1 })).toThrow(/Resolution \(voxel\)/);
  expect(() => parseParams(params, { voxel: 'fine' })).toThrow(/Resolution/);
  expect(() => parseParams(params, { voxel: NaN })).toThrow(/Resolution/);
  expect(() => parseParams(params, { speed: 3 })).toThrow(/"speed" is no parameter/);
  expect(() => findOperation('fuse.magic')).toThrow(/There is no operation/);
});

test('texts from a command line become values', () => {
  const fields = paramFields(findOperation('texture.map').params);
  expect(parseParamText(fields, 'mapSize', '1024')).toBe(1024);
  expect(parseParamText(fields, 'balance', 'no')).toBe(false);
  expect(() => parseParamText(fields, 'colour', '1')).toThrow(/no parameter/);
});

test('an operation without its inputs says what it needs', async () => {
  await expect(runOperation(findOperation('mend.all'), {}, {}, createRunContext())).rejects.toThrow(
    '"Mend" needs a surface first.',
  );
});

test('recipes name known operations with valid settings', () => {
  for (const r of RECIPES)
    for (const s of r.steps) expect(() => parseParams(findOperation(s.operation).params, s.set ?? {})).not.toThrow();
});
