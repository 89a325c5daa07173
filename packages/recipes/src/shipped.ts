import type { Recipe, RecipeStep } from './recipe.js';

const COLOURED: RecipeStep['when'] = { fact: 'colours', above: 0 };
const CLEANED: RecipeStep[] = [{ operation: 'clean.support' }, { operation: 'clean.strays' }];
const KNITTED: RecipeStep[] = [{ operation: 'register.automatic' }, { operation: 'fuse.surface' }];

/** A surface of at most so many triangles. */
const lighter = (triangles: number): RecipeStep => ({
  operation: 'mend.reduce',
  set: { triangles },
  when: { fact: 'triangles', above: triangles },
});
/** Colour, where there is any. */
const coloured = (mapSize?: number): RecipeStep => ({
  operation: 'texture.map',
  ...(mapSize ? { set: { mapSize } } : {}),
  when: COLOURED,
});

/** The recipes that come with the program. Counts of triangles and sizes of maps are common practice, no source. */
export const RECIPES: Recipe[] = [
  {
    name: 'standard',
    title: 'From loose scans to one coloured, watertight mesh',
    steps: [
      ...CLEANED,
      ...KNITTED,
      { operation: 'mend.all' },
      { operation: 'mend.reduce', set: { triangles: 200_000 } },
      { operation: 'texture.map' },
    ],
  },
  {
    name: 'quick',
    title: 'A quick look: coarse, in a fraction of the time',
    steps: [
      ...CLEANED,
      { operation: 'clean.thin', when: { fact: 'points', above: 300_000 } },
      ...KNITTED,
      { operation: 'mend.all' },
      lighter(50_000),
      coloured(1024),
      { operation: 'check.inspect' },
    ],
  },
  {
    name: 'print',
    title: 'For printing: closed, as fine as a printer shows',
    steps: [
      ...CLEANED,
      ...KNITTED,
      { operation: 'mend.all', set: { maxRim: 0 } },
      lighter(400_000),
      coloured(1024),
      { operation: 'check.inspect' },
      { operation: 'deliver.print' },
    ],
  },
  {
    name: 'archive',
    title: 'For keeping: all that was measured, nothing large invented',
    steps: [
      ...CLEANED,
      ...KNITTED,
      { operation: 'mend.all' },
      coloured(4096),
      { operation: 'check.inspect' },
      { operation: 'deliver.export', set: { format: 'ply' } },
    ],
  },
  {
    name: 'web',
    title: 'For the web: light, with colours, in one small file',
    steps: [
      ...CLEANED,
      ...KNITTED,
      { operation: 'mend.all', set: { maxRim: 0 } },
      lighter(100_000),
      coloured(2048),
      { operation: 'check.inspect' },
      { operation: 'deliver.web' },
    ],
  },
  {
    name: 'reverse',
    title: 'For construction: crisp and dense, openings left as they are, no colour',
    steps: [...CLEANED, ...KNITTED, { operation: 'mend.all' }, lighter(600_000), { operation: 'check.inspect' }],
  },
  {
    name: 'scene',
    title: 'Rooms and scenes: nothing taken for a table, open where nobody looked',
    steps: [
      { operation: 'clean.strays' },
      ...KNITTED,
      { operation: 'mend.all', set: { maxRim: 300 } },
      lighter(800_000),
      coloured(4096),
      { operation: 'check.inspect' },
    ],
  },
];
