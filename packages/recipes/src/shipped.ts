import { OPERATION_IDS } from '@amber-knit/operations';
import type { Recipe, RecipeStep } from './recipe.js';

const COLOURED: RecipeStep['when'] = { fact: 'colours', above: 0 };
/** Frames of a tracker's places are made to agree; captures were when they ended. */
export const AGREEING: RecipeStep = { operation: OPERATION_IDS.cleanRefine, when: { fact: 'unrefined', above: 0 } };
const CLEANED: RecipeStep[] = [
  AGREEING,
  { operation: OPERATION_IDS.cleanSupport },
  { operation: OPERATION_IDS.cleanStrays },
];
const KNITTED: RecipeStep[] = [
  { operation: OPERATION_IDS.registerAutomatic },
  { operation: OPERATION_IDS.fuseSurface },
];

/** A surface of at most so many triangles. */
const lighter = (triangles: number): RecipeStep => ({
  operation: OPERATION_IDS.mendReduce,
  set: { triangles },
  when: { fact: 'triangles', above: triangles },
});
/** Colour, where there is any. */
const coloured = (mapSize?: number): RecipeStep => ({
  operation: OPERATION_IDS.textureMap,
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
      { operation: OPERATION_IDS.mendAll },
      { operation: OPERATION_IDS.mendReduce, set: { triangles: 200_000 } },
      { operation: OPERATION_IDS.textureMap },
    ],
  },
  {
    name: 'quick',
    title: 'A quick look: coarse, in a fraction of the time',
    steps: [
      ...CLEANED,
      { operation: OPERATION_IDS.cleanThin, when: { fact: 'points', above: 300_000 } },
      ...KNITTED,
      { operation: OPERATION_IDS.mendAll },
      lighter(50_000),
      coloured(1024),
      { operation: OPERATION_IDS.checkInspect },
    ],
  },
  {
    name: 'print',
    title: 'For printing: closed, as fine as a printer shows',
    steps: [
      ...CLEANED,
      ...KNITTED,
      { operation: OPERATION_IDS.mendAll, set: { maxRim: 0 } },
      lighter(400_000),
      coloured(1024),
      { operation: OPERATION_IDS.checkInspect },
      { operation: OPERATION_IDS.deliverPrint },
    ],
  },
  {
    name: 'archive',
    title: 'For keeping: all that was measured, nothing large invented',
    steps: [
      ...CLEANED,
      ...KNITTED,
      { operation: OPERATION_IDS.mendAll },
      coloured(4096),
      { operation: OPERATION_IDS.checkInspect },
      { operation: OPERATION_IDS.deliverExport, set: { format: 'ply' } },
    ],
  },
  {
    name: 'web',
    title: 'For the web: light, with colours, in one small file',
    steps: [
      ...CLEANED,
      ...KNITTED,
      { operation: OPERATION_IDS.mendAll, set: { maxRim: 0 } },
      lighter(100_000),
      coloured(2048),
      { operation: OPERATION_IDS.checkInspect },
      { operation: OPERATION_IDS.deliverWeb },
    ],
  },
  {
    name: 'reverse',
    title: 'For construction: crisp and dense, openings left as they are, no colour',
    steps: [
      ...CLEANED,
      ...KNITTED,
      { operation: OPERATION_IDS.mendAll },
      lighter(600_000),
      { operation: OPERATION_IDS.checkInspect },
    ],
  },
  {
    name: 'scene',
    title: 'Rooms and scenes: nothing taken for a table, open where nobody looked',
    steps: [
      { operation: OPERATION_IDS.cleanStrays },
      ...KNITTED,
      { operation: OPERATION_IDS.mendAll, set: { maxRim: 300 } },
      lighter(800_000),
      coloured(4096),
      { operation: OPERATION_IDS.checkInspect },
    ],
  },
];
