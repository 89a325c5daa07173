import { readdirSync } from 'node:fs';
import { createRunContext } from '@amber-knit/core/runtime';
import {
  findOperation,
  OPERATIONS,
  paramFields,
  parseParams,
  parseParamText,
  pieceStats,
  runOperation,
  STAGES,
  summarizeScans,
} from './index.js';
import { TAKING_AWAY } from './taking-away.js';

const here = new URL('.', import.meta.url).pathname;

test('what only takes points away can be shown beforehand, and nothing else', () => {
  expect(TAKING_AWAY).toEqual(OPERATIONS.filter((o) => o.takesAway));
});

test('steps of older versions run again: parameters that are no more are passed over, unknown ones are not', () => {
  const { params } = findOperation('fuse.surface');
  expect(parseParams(params, { voxel: 0.5, truncationVoxels: 4 })).toMatchObject({
    voxel: 0.5,
    shape: 'even',
    openings: 'open',
  });
  expect(() => parseParams(params, { voxel: 0.5, truncation: 4 })).toThrow(/"truncation" is no parameter/);
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
      unrefined: 0,
      hasColors: true,
      triangles: 300_000,
      hasModel: false,
      hasLight: false,
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
  expect(parseParamText(fields, 'align', 'no')).toBe(false);
  expect(() => parseParamText(fields, 'colour', '1')).toThrow(/no parameter/);
});

test('steps of an older version run again: what they were told that is no more is passed over', () => {
  const old = { mapSize: 512, balance: false, suppressGlare: true };
  expect(parseParams(findOperation('texture.map').params, old)).toEqual({
    mapSize: 512,
    gap: 4,
    light: 'taken-out',
    pictures: [],
    align: true,
    sharpness: 3,
  });
  expect(() => parseParams(findOperation('texture.map').params, { glare: true })).toThrow(/no parameter/);
});

test('an operation without its inputs says what it needs', async () => {
  await expect(runOperation(findOperation('mend.all'), {}, {}, createRunContext())).rejects.toThrow(
    '"Mend" needs a surface first.',
  );
});

test('mending closes what the plan wants closed, and keeps pieces that are no crumbs', () => {
  const suggest = findOperation('mend.all').suggest;
  const stats = summarizeScans([], 0, { hasModel: false, hasLight: false });
  expect(suggest(stats)).toEqual({});
  const plan = { voxel: 1, triangles: 1, mapSize: 1, size: 300 };
  expect(suggest({ ...stats, plan: { ...plan, maxRim: 0 } })).toEqual({ maxRim: 0 });
  expect(suggest({ ...stats, plan: { ...plan, maxRim: 60 } })).toEqual({ maxRim: 60 });
  const params = parseParams(findOperation('mend.all').params, {}) as { fragmentRatio: number };
  expect(params.fragmentRatio).toBeLessThan(0.2);
});

test('every kind of parameter can be given on a command line', () => {
  // What each kind looks like as text, and what it then means; a kind that is missing here fails.
  const texts: Record<string, [text: string, value: unknown]> = {
    length: ['2.5', 2.5],
    count: ['3', 3],
    ratio: ['0.2', 0.2],
    choice: ['flat', 'flat'],
    flag: ['yes', true],
    text: ['a name', 'a name'],
    scans: ['left, right', ['left', 'right']],
    names: ['f1,f2', ['f1', 'f2']],
    pose: ['1,0,0,0', [1, 0, 0, 0]],
    dimension: ['Rim', 'Rim'],
    dimensions: ['[{"kind":"holds"}]', [{ kind: 'holds' }]],
    placings: ['[{"name":"a"}]', [{ name: 'a' }]],
    reaches: ['[{"reach":2}]', [{ reach: 2 }]],
    pictures: ['[{"how":"not"}]', [{ how: 'not' }]],
    trust: ['[{"how":"only"}]', [{ how: 'only' }]],
    edits: ['[{"kind":"cut"}]', [{ kind: 'cut' }]],
    pairs: ['[{"from":[0,0,0],"scan":"a","onto":[1,0,0]}]', [{ from: [0, 0, 0], scan: 'a', onto: [1, 0, 0] }]],
  };
  for (const o of OPERATIONS) {
    for (const field of paramFields(o.params)) {
      const [text, value] = texts[field.kind] ?? [];
      expect([o.id, field.name, parseParamText([field], field.name, text ?? '')]).toEqual([o.id, field.name, value]);
    }
  }
  const pairs = paramFields(findOperation('register.pairs').params).filter((f) => f.kind === 'pairs');
  expect(pairs).toHaveLength(1);
  expect(parseParamText(pairs, pairs[0].name, 'no json')).toBe('no json');
});
