import type { StepView } from '@amber-knit/contracts';
import { describeFigures, describeParams, operationOf, paramFields, type ParamField } from '@amber-knit/operations';
import type { Step } from '../database/entities.js';

/** What a step does, in the words of its operation. */
export const titleOf = (s: Step): string => operationOf(s)?.title ?? s.operationId;

/**
 * A step as lists and events tell it: what was drawn by hand, which may be long, is left out of `params`; see
 * `wholeStepView`.
 */
export function stepView(s: Step): StepView {
  const drawn = new Set(fieldsOf(s).flatMap((f) => (f.kind === 'edits' ? [f.name] : [])));
  const params = Object.fromEntries(Object.entries(s.params).filter(([name]) => !drawn.has(name)));
  return { ...wholeStepView(s), params };
}

const fieldsOf = (s: Step): ParamField[] => {
  const operation = operationOf(s);
  return operation ? paramFields(operation.params) : [];
};

/** A step with all its parameters. */
export function wholeStepView(s: Step): StepView {
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
    paramList: describeParams(fieldsOf(s), s.params),
    summary: s.summary,
    notes: s.notes,
    error: s.error,
    sourceName: s.sourceName,
    inputs: s.inputs,
    outputs: s.outputs,
    by: s.by,
    attempt: s.attempt,
    createdAt: s.createdAt.toISOString(),
    startedAt: s.startedAt?.toISOString() ?? null,
    finishedAt: s.finishedAt?.toISOString() ?? null,
  };
}
