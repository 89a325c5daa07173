import { GeometryError } from '@amber-knit/core/runtime';
import type { WorkData } from '@amber-knit/operations';
import type { GuideAnswers } from '@amber-knit/planning';
import type { FailedStep } from '../ground.js';
import { MemoryRun, type RunOptions, type RunResult } from '../memory-run.js';
import { decide, nextMove, type GuideMemory } from './next-move.js';
import { LATER, type Stop } from './stops.js';
import type { GuideVerdict } from './verdict.js';

export interface GuidedResult extends RunResult {
  verdict: GuideVerdict;
  /** What a person would have been asked, and what was taken instead. */
  stops: { title: string; text: string; taken: string }[];
}

/**
 * A guided run with nobody to ask: the safe choice is taken at every stop.
 * @throws GeometryError where a stop has no safe choice, and whatever an operation throws that can't be left out
 */
export async function runGuided(
  start: Partial<WorkData>,
  answers: GuideAnswers,
  options: RunOptions & { set?: ReadonlyMap<string, Record<string, unknown>> },
): Promise<GuidedResult> {
  const run = new MemoryRun(start, options);
  const stops: Stop[] = [];
  let memory: GuideMemory = { answers, decided: {}, leftOut: [] };
  let failed: FailedStep | undefined;
  for (;;) {
    const { move } = nextMove(memory, { ...run.ground(), failed });
    if (move.kind === 'done')
      return { data: run.data, steps: run.steps, verdict: move.verdict, stops: stops.map(told) };
    if (move.kind === 'ask') {
      const { stop } = move;
      if (!stop.safe) throw new GeometryError('empty-input', `${stop.title} ${stop.text}`);
      stops.push(stop);
      options.listener?.note(`${stop.title} ${stop.text} Taken: ${told(stop).taken}.`);
      memory = decide(memory, stop, LATER).memory;
    } else if (move.kind === 'run') {
      failed = undefined;
      const { operationId, params } = move;
      try {
        await run.run(operationId, { ...params, ...options.set?.get(operationId) });
      } catch (e) {
        if (!(e instanceof GeometryError) || e.code === 'cancelled') throw e;
        const number = run.steps.length + 1 + stops.length;
        failed = { id: '', number, operationId, status: 'failed', error: e.message };
      }
    } else throw new GeometryError('empty-input', 'There are no scans.');
  }
}

const told = ({ title, text, choices, safe }: Stop): GuidedResult['stops'][number] => ({
  title,
  text,
  taken: choices.find((c) => c.id === safe)?.label ?? '',
});
