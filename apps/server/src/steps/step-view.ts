import type { StepView } from '@amber-knit/contracts';
import { describeFigures, describeParams, operationOf, paramFields } from '@amber-knit/operations';
import type { Step } from '../database/entities.js';

/** What a step does, in the words of its operation. */
export const titleOf = (s: Step): string => operationOf(s)?.title ?? s.operationId;

export function stepView(s: Step): StepView {
  const operation = operationOf(s);
  return {
    id: s.id,
    pieceId: s.pieceId,
    operationId: s.operationId,
    title: titleOf(s),
    stage: operation?.stage ?? 'clean',
    version: s.operationVersion,
    params: s.params,
    seed: s.seed,
    status: s.status,
    progress: s.progress,
    progressStage: s.progressStage,
    figures: s.figures,
    figureList: s.status === 'done' ? describeFigures(operation?.figures ?? {}, s.figures ?? {}) : [],
    paramList: describeParams(operation ? paramFields(operation.params) : [], s.params),
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
