import type { StepView } from '@amber-knit/contracts';
import { OPERATIONS } from '@amber-knit/operations';
import type { Step } from '../database/entities.js';

const operationOf = (s: Step) => OPERATIONS.find((o) => o.id === s.operationId);

/** What a step does, in the words of its operation. */
export const titleOf = (s: Step): string => operationOf(s)?.title ?? s.operationId;

export function stepView(s: Step): StepView {
  return {
    id: s.id,
    pieceId: s.pieceId,
    operationId: s.operationId,
    title: titleOf(s),
    stage: operationOf(s)?.stage ?? 'clean',
    version: s.operationVersion,
    params: s.params,
    seed: s.seed,
    status: s.status,
    progress: s.progress,
    progressStage: s.progressStage,
    figures: s.figures,
    summary: s.summary,
    notes: s.notes,
    error: s.error,
    sourceName: s.sourceName,
    inputs: s.inputs,
    outputs: s.outputs,
    attempt: s.attempt,
    createdAt: s.createdAt.toISOString(),
    startedAt: s.startedAt?.toISOString() ?? null,
    finishedAt: s.finishedAt?.toISOString() ?? null,
  };
}
