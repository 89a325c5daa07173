import { findOperation, OPERATION_IDS, type PieceStats } from '@amber-knit/operations';
import { advise, planOfGuide, type GuideAnswers } from '@amber-knit/planning';
import type { Ground } from '../ground.js';
import type { Recipe, RecipeStep } from '../recipe.js';
import { AGREEING } from '../shipped.js';

/** Loose pieces with less than this share of the largest are not the object, where other things are in the scans; common practice, no source. */
const OTHER_THINGS = 0.25;
/** What is wanted beside an even fineness: resolution and triangles; the spacing of the points bounds the first anyway. */
const FINENESS = {
  quick: { voxel: 2, triangles: 0.5 },
  even: { voxel: 1, triangles: 1 },
  unknown: { voxel: 1, triangles: 1 },
  finest: { voxel: 0.25, triangles: 2 },
} as const;

/**
 * The recipe that follows from plain answers: the same operations that a person runs by hand, each with the values that the answers
 * ask for and otherwise those that the data suggest.
 */
export function recipeFor(answers: GuideAnswers, ground: Ground): Recipe {
  const { stats, plan } = ground;
  const full = planOfGuide(answers, Math.round(stats.diagonal), plan);
  const { defaults } = advise(full, []);
  const fine = FINENESS[answers.fineness];
  const wanted: PieceStats = { ...stats, plan: { ...defaults, voxel: defaults.voxel * fine.voxel } };
  const triangles = Math.round(defaults.triangles * fine.triangles);
  const gaps = Number((defaults.size / 5).toPrecision(2));
  const maxRim = { close: 0, keep: gaps, unknown: defaults.maxRim }[answers.openings];
  const steps: (RecipeStep | false)[] = [
    AGREEING,
    answers.support !== 'no' && full.kind !== 'room' && { operation: OPERATION_IDS.cleanSupport },
    {
      operation: OPERATION_IDS.cleanStrays,
      ...(answers.others === 'yes' ? { set: { pieceRatio: OTHER_THINGS } } : {}),
    },
    { operation: cameWithPlaces(ground) ? OPERATION_IDS.registerFine : OPERATION_IDS.registerAutomatic },
    { operation: OPERATION_IDS.fuseSurface, set: { ...findOperation(OPERATION_IDS.fuseSurface).suggest(wanted) } },
    { operation: OPERATION_IDS.mendAll, set: { maxRim } },
    // A few more are not worth a step.
    { operation: OPERATION_IDS.mendReduce, set: { triangles }, when: { fact: 'triangles', above: 1.1 * triangles } },
    full.finish !== 'reverse' && {
      operation: OPERATION_IDS.textureMap,
      // Where colour matters, all of it; else a small map does.
      set: { mapSize: full.finish === 'print' ? defaults.mapSize : 0 },
      when: { fact: 'colours', above: 0 },
    },
    { operation: OPERATION_IDS.checkInspect },
  ];
  return {
    name: 'guided',
    title: 'From plain answers',
    steps: steps.filter((s) => s !== false),
  };
}

/** Files may bring scans with their places: those are made finer, not looked for anew. */
const cameWithPlaces = ({ scans, line }: Ground): boolean =>
  scans.length > 1 &&
  scans.every((s) => s.state !== 'loose') &&
  !line.some((s) => s.operationId === OPERATION_IDS.registerAutomatic);
