import { OPERATIONS } from '@amber-knit/operations';
import { FACTS, holds, parseRecipe, type Facts } from './recipe.js';
import { recipeOfLine } from './recipe-of-line.js';
import { RECIPES } from './shipped.js';

const facts: Facts = {
  scans: 3,
  points: 1000,
  triangles: 0,
  pictures: 1,
  colours: 1,
  loose: 0,
  doubtful: 0,
  unrefined: 0,
};

test('the shipped recipes are recipes: known operations, valid values and conditions, names of their own', () => {
  for (const r of RECIPES)
    expect(parseRecipe(JSON.parse(JSON.stringify(r)))).toMatchObject({ name: r.name, steps: r.steps });
  expect(new Set(RECIPES.map((r) => r.name)).size).toBe(RECIPES.length);
});

test('a condition holds strictly above and strictly below', () => {
  expect(holds({ fact: 'points', above: 999 }, facts)).toBe(true);
  expect(holds({ fact: 'points', above: 1000 }, facts)).toBe(false);
  expect(holds({ fact: 'points', above: 10, below: 1000 }, facts)).toBe(false);
  expect(holds({ fact: 'pictures', above: 0 }, facts)).toBe(true);
  expect(Object.keys(facts).sort()).toEqual(Object.keys(FACTS).sort());
});

test.each([
  ['a list', [], /object with a list "steps"/],
  ['nothing', null, /object with a list "steps"/],
  ['no steps', { steps: [] }, /1 to 200 operations/],
  ['too many steps', { steps: Array(201).fill({ operation: 'mend.all' }) }, /1 to 200/],
  ['a newer version', { version: 2, steps: [{ operation: 'mend.all' }] }, /version 2; this program reads version 1/],
  [
    'an unknown operation',
    { steps: [{ operation: 'mend.everything' }] },
    /Step 1 of the recipe: There is no operation/,
  ],
  [
    'a value out of range',
    { steps: [{ operation: 'mend.all' }, { operation: 'fuse.surface', set: { voxel: -1 } }] },
    /Step 2/,
  ],
  ['a strange word', { steps: [{ operation: 'mend.all', sett: {} }] }, /has "sett"; known are operation, set and when/],
  ['an unknown fact', { steps: [{ operation: 'mend.all', when: { fact: 'mood' } }] }, /facts are scans, points/],
  [
    'a condition without numbers',
    { steps: [{ operation: 'mend.all', when: { fact: 'scans', above: '3' } }] },
    /with numbers/,
  ],
  ['what a person chose', { steps: [{ operation: 'mend.holes', set: { holes: '1' } }] }, /can’t be repeated/],
  ['what needs a file', { steps: [{ operation: 'capture.import' }] }, /can’t be repeated/],
])('%s is no recipe, and is told why', (_what, json, words) => {
  expect(() => parseRecipe(json)).toThrow(words);
});

test('every operation that can be repeated may stand in a recipe', () => {
  for (const o of OPERATIONS) {
    const read = () => parseRecipe({ steps: [{ operation: o.id }] });
    if (o.byHand || o.needs.includes('file')) expect(read).toThrow();
    else expect(read().steps).toHaveLength(1);
  }
});

test('of what was done only what was set otherwise is fixed; what hangs on this piece is left out and told', () => {
  const stats = { ...STATS, names: ['a', 'b'] };
  let number = 0;
  const step = (operationId: string, params: Record<string, unknown>) => ({
    id: String(++number),
    number,
    operationId,
    params,
    figures: {},
    byRun: false,
    changed: true,
  });
  const made = recipeOfLine(
    'Jug',
    [
      step('capture.import', { unit: 'auto' }),
      step('clean.support', { clearance: 2, minShare: 0.08, levels: 'one', only: ['a'] }),
      step('clean.cut', {}),
      step('register.automatic', { reference: 'a', coarseCell: 0, fineCell: 0 }),
      step('fuse.surface', { voxel: 0.5, truncationVoxels: 3 }),
      step('fuse.surface', { voxel: 0.9 }),
      step('mend.all', { maxRim: 0, shape: 'flat', fragmentRatio: 0.05, evenRounds: 0 }),
      step('gone.operation', {}),
    ],
    stats,
  );
  expect(made.recipe.steps).toEqual([
    { operation: 'clean.support', set: { clearance: 2 } },
    { operation: 'register.automatic' },
    // Suggested for points 0.9 mm apart: suggested anew elsewhere.
    { operation: 'fuse.surface' },
    { operation: 'mend.all', set: { shape: 'flat' } },
  ]);
  expect(made.notRepeated).toHaveLength(1);
  expect(parseRecipe(JSON.parse(JSON.stringify(made.recipe))).steps).toHaveLength(4);
});

const STATS = {
  scans: 2,
  points: 1000,
  spacing: 0.9,
  diagonal: 200,
  hasFrames: false,
  unrefined: 0,
  hasColors: false,
  triangles: 0,
  hasModel: false,
  hasLight: false,
};
