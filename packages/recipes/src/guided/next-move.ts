import { GeometryError } from '@amber-knit/core/runtime';
import type { GuideAnswers } from '@amber-knit/planning';
import { standingOf, valuesOf, type StepStanding } from '../follow-recipe.js';
import type { Ground } from '../ground.js';
import type { Recipe } from '../recipe.js';
import { recipeFor } from './recipe-for.js';
import { failedStop, findStops, LATER, type Stop } from './stops.js';
import { verdictOn, type GuideVerdict } from './verdict.js';

/** What a guided run remembers; everything else follows from the piece. */
export interface GuideMemory {
  answers: GuideAnswers;
  /** Choices by the key of the stop. */
  decided: Readonly<Record<string, string>>;
  /** Operations that it goes on without. */
  leftOut: readonly string[];
  /** Goes before what the answers make. */
  recipe?: Recipe;
}

export type Move =
  | { kind: 'run'; operationId: string; params: Record<string, unknown> }
  | { kind: 'ask'; stop: Stop }
  /** There are no scans yet, or a step runs. */
  | { kind: 'wait'; for: 'scans' | 'work' }
  /** A step of the run was undone: it goes on once somebody says so. */
  | { kind: 'went-back' }
  | { kind: 'done'; verdict: GuideVerdict };

export interface Outlook {
  move: Move;
  standing: StepStanding[];
  /** Stops that were left for later, or decided; they can be decided anew. */
  stops: Stop[];
}

/** What a guided run does next with a piece as it stands. The same memory and ground give the same move. */
export function nextMove(memory: GuideMemory, ground: Ground): Outlook {
  const { answers, decided, leftOut } = memory;
  const whole = memory.recipe ?? recipeFor(answers, ground);
  const recipe = { ...whole, steps: whole.steps.filter((s) => !leftOut.includes(s.operation)) };
  const standing = standingOf(recipe, ground);
  const stops = findStops(answers, ground, standing);
  const view = (move: Move): Outlook => ({ move, standing, stops });
  if (ground.busy) return view({ kind: 'wait', for: 'work' });
  if (ground.stats.scans === 0) return view({ kind: 'wait', for: 'scans' });
  if (ground.wentBack) return view({ kind: 'went-back' });
  const failed = failedStop(ground);
  if (failed && decided[failed.key] === undefined) return view({ kind: 'ask', stop: failed });
  const asked = stops.find((s) => decided[s.key] === undefined);
  if (asked) return view({ kind: 'ask', stop: asked });
  // A decision that asks for a step is carried out before anything builds on what was there.
  for (const stop of stops) {
    const effect = choiceOf(stop, decided[stop.key])?.effect;
    if (effect?.kind === 'run') return view({ kind: 'run', operationId: effect.operationId, params: effect.params });
  }
  const next = standing.find((s) => s.state === 'open');
  if (!next) return view({ kind: 'done', verdict: verdictOn(memory, ground, standing, stops) });
  const params = valuesOf(next.step, ground);
  return view({ kind: 'run', operationId: next.step.operation, params });
}

/** The choice of a stop that counts: the safe one where it was left for later. */
export function choiceOf(stop: Stop, decided: string | undefined): Stop['choices'][number] | undefined {
  const id = decided === LATER ? stop.safe : decided;
  return stop.choices.find((c) => c.id === id);
}

/**
 * What becomes of the memory when a stop is decided.
 * @returns with the step to go back before and with whether the run pauses, where the choice asks for it
 * @throws GeometryError `invalid-parameter` if the stop has no such choice
 */
export function decide(
  memory: GuideMemory,
  stop: Stop,
  decision: string,
): { memory: GuideMemory; goBackBefore?: string; pause?: boolean } {
  const choice = choiceOf(stop, decision);
  if (!choice) {
    const known = [...stop.choices.map((c) => c.id), ...(stop.safe ? [LATER] : [])].join(', ');
    throw new GeometryError('invalid-parameter', `“${stop.title}” has no choice "${decision}"; there are ${known}.`);
  }
  const { effect } = choice;
  // More scans raise the question anew: it is not decided by them.
  if (effect?.kind === 'more-scans') return { memory, pause: true };
  const decided = { ...memory.decided, [stop.key]: decision };
  if (effect?.kind === 'leave-out')
    return { memory: { ...memory, decided, leftOut: [...memory.leftOut, effect.operationId] } };
  if (effect?.kind !== 'go-back') return { memory: { ...memory, decided } };
  return {
    memory: { ...memory, decided, answers: { ...memory.answers, ...effect.answers } },
    goBackBefore: effect.stepId,
  };
}
