import { findOperation, operationOf, type PieceStats } from '@amber-knit/operations';
import { BRINGS_SCANS } from './follow-recipe.js';
import type { LineStep } from './ground.js';
import type { Recipe, RecipeStep } from './recipe.js';

/** A recipe made of what was done to a piece, and what of it no recipe can hold. */
export interface MadeRecipe {
  recipe: Recipe;
  /** Titles of steps that hang on what a person chose in this very piece. */
  notRepeated: string[];
}

/**
 * Does to other pieces what was done to this one. Values that are no other than what the data suggest, or than usual, are suggested
 * anew for each piece; all others are fixed. Of an operation that was run several times in a row the last counts.
 * @param line the steps that the piece came from, oldest first
 * @param stats facts of the piece, for what its data suggest
 */
export function recipeOfLine(name: string, line: readonly LineStep[], stats: PieceStats): MadeRecipe {
  const steps: RecipeStep[] = [];
  const notRepeated: string[] = [];
  for (const step of line) {
    const operation = operationOf(step);
    if (!operation || BRINGS_SCANS.includes(operation.id)) continue;
    if (operation.byHand || operation.needs.includes('file')) {
      notRepeated.push(operation.title);
      continue;
    }
    const set = fixedValues(step, stats);
    const made = { operation: operation.id, ...(Object.keys(set).length > 0 ? { set } : {}) };
    if (steps.at(-1)?.operation === operation.id) steps.pop();
    steps.push(made);
  }
  return {
    recipe: { version: 1, name, title: `What was done to ${name}`, steps },
    notRepeated: [...new Set(notRepeated)],
  };
}

/** What a person, or a recipe, set otherwise than it would have been; names of scans mean nothing elsewhere. */
function fixedValues({ operationId, params }: LineStep, stats: PieceStats): Record<string, unknown> {
  const { params: Params, suggest } = findOperation(operationId);
  const usual = new Params() as Record<string, unknown>;
  const suggested: Record<string, unknown> = { ...usual, ...suggest(stats) };
  const same = (a: unknown, b: unknown): boolean => JSON.stringify(a) === JSON.stringify(b);
  const names = new Set<unknown>([...stats.names, stats.name]);
  const ofThisPiece = (v: unknown): boolean => names.has(v) || (Array.isArray(v) && v.some((x) => names.has(x)));
  return Object.fromEntries(
    Object.entries(params).filter(
      ([key, value]) => key in usual && !same(value, usual[key]) && !same(value, suggested[key]) && !ofThisPiece(value),
    ),
  );
}
