import { findOperation, OPERATION_IDS, operationOf, STAGES, type Operation } from '@amber-knit/operations';
import { factsOf, type Ground, type LineStep } from './ground.js';
import { holds, type Recipe, type RecipeStep } from './recipe.js';

/** How a step of a recipe stands: behind us, before us, or not wanted for this piece. */
export type StepState = 'done' | 'left-out' | 'open';

export interface StepStanding {
  step: RecipeStep;
  state: StepState;
  /** What did it, where it is done. */
  by?: LineStep;
}

/** Facts that steps on the way make. */
const BECOMES_KNOWN: readonly unknown[] = ['triangles', 'loose', 'doubtful'];

/**
 * How far a piece has come on a recipe. Nothing but the piece is looked at: whoever ran a step, it counts; whatever was done
 * anew by hand, what follows from it is open again.
 */
export function standingOf(recipe: Recipe, ground: Ground): StepStanding[] {
  const facts = factsOf(ground);
  let open = false;
  return recipe.steps.map((step, i) => {
    // An operation that a recipe has several times is told apart by its values.
    const often = recipe.steps.filter((s) => s.operation === step.operation).length > 1;
    const by = ground.line.findLast((s) => s.operationId === step.operation && (!often || asWanted(step, s)));
    if (by && !open && asWanted(step, by) && !undercut(recipe, i, by, ground.line)) return { step, state: 'done', by };
    const known = !open || !BECOMES_KNOWN.includes(step.when?.fact);
    if (step.when && known && !holds(step.when, facts)) return { step, state: 'left-out' };
    open = true;
    return { step, state: 'open' };
  });
}

/** What a run did with other values than the recipe now sets is to be done anew; what a person chose stays. */
const asWanted = ({ set = {} }: RecipeStep, by: LineStep): boolean =>
  !by.byRun || Object.entries(set).every(([name, value]) => JSON.stringify(by.params[name]) === JSON.stringify(value));

/** Was something done after `by` that comes before it in the order of work, and on which it builds? */
function undercut(recipe: Recipe, place: number, by: LineStep, line: readonly LineStep[]): boolean {
  const operation = findOperation(by.operationId);
  const takes: readonly string[] = [...operation.needs, ...(operation.uses ?? [])];
  return line.some((later) => {
    if (later.number <= by.number || !later.changed) return false;
    const other = operationOf(later);
    if (!other || !other.gives.some((kind) => takes.includes(kind)) || other.movesNothing) return false;
    const at = recipe.steps.findLastIndex((s) => s.operation === later.operationId);
    return at >= 0 ? at < place : isBefore(other, operation);
  });
}

const isBefore = (a: Operation, b: Operation): boolean => STAGES.indexOf(a.stage) < STAGES.indexOf(b.stage);

/**
 * The values a step of a recipe runs with: what a person last chose for this operation in this piece, else what the recipe sets
 * over what the data suggest. Scans that were cleaned are not cleaned again.
 */
export function valuesOf(step: RecipeStep, ground: Ground): Record<string, unknown> {
  const operation = findOperation(step.operation);
  const last = ground.line.findLast((s) => s.operationId === step.operation);
  const chosen = last && !last.byRun ? last.params : undefined;
  const values = { ...operation.suggest(ground.stats), ...step.set, ...chosen };
  if (operation.stage !== 'clean' || !last) return values;
  const fresh = ground.scans.filter((s) => s.broughtBy > last.number).map((s) => s.name);
  const earlier = chosen || fresh.length === 0 ? [] : fresh;
  return { ...values, only: earlier };
}

/** What makes scans: files that come in and captures that end. */
export const BRINGS_SCANS: readonly string[] = [
  OPERATION_IDS.captureImport,
  OPERATION_IDS.captureLive,
  OPERATION_IDS.captureLineLaser,
];
