import { FIRST_ANSWERS, FINISHES, KINDS, type PlanAnswers } from './plan-answers.js';

/** What is asked before a guided run, in the order of asking, with the answers there are. Not knowing is always one. */
export const GUIDE_QUESTIONS = {
  kind: [...KINDS, 'unknown'],
  finish: [...FINISHES, 'unknown'],
  fineness: ['quick', 'even', 'finest', 'unknown'],
  /** Did it stand on something that the scans show? */
  support: ['yes', 'no', 'unknown'],
  /** Are other things in the scans: holders, neighbours, hands? */
  others: ['yes', 'no', 'unknown'],
  /** Are all holes to be closed, or do some belong there? */
  openings: ['close', 'keep', 'unknown'],
} as const;

export type GuideQuestion = keyof typeof GUIDE_QUESTIONS;
export type GuideAnswers = { [Q in GuideQuestion]: (typeof GUIDE_QUESTIONS)[Q][number] };

/** What is answered beforehand: all that follows from the plan, the rest unknown. */
export function firstGuideAnswers(plan: PlanAnswers | null): GuideAnswers {
  const unknown = { fineness: 'unknown', support: 'unknown', others: 'unknown', openings: 'unknown' } as const;
  if (!plan) return { kind: 'unknown', finish: 'unknown', ...unknown };
  const { kind, finish } = plan;
  const openings = kind === 'room' || finish === 'reverse' ? 'keep' : finish === 'archive' ? 'unknown' : 'close';
  return { kind, finish, ...unknown, support: kind === 'room' ? 'no' : 'unknown', openings };
}

/**
 * The plan that a guided run goes by: what was planned, with what was answered since.
 * @param size longest extent of what was scanned, mm; counts where nothing was planned
 */
export function planOfGuide(answers: GuideAnswers, size: number, plan: PlanAnswers | null): PlanAnswers {
  const kind = answers.kind === 'unknown' ? (plan?.kind ?? 'part') : answers.kind;
  // Who does not know what it is for wants to look at it.
  const finish = answers.finish === 'unknown' ? (plan?.finish ?? 'render') : answers.finish;
  return { ...(plan ?? { ...FIRST_ANSWERS, size: Math.max(1, size) }), kind, finish };
}
