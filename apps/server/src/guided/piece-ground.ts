import type { PieceView } from '@amber-knit/contracts';
import { groundScans, type Ground, type LineStep } from '@amber-knit/recipes';
import { operationOf, type PieceStats } from '@amber-knit/operations';
import type { GuidedRun, PieceState, Step } from '../database/entities.js';

export interface PieceFacts {
  run: Pick<GuidedRun, 'steps' | 'sinceNumber'>;
  view: PieceView;
  stats: PieceStats;
  /** The states from the first to the one that stands. */
  states: readonly PieceState[];
  /** All steps of the piece, oldest first. */
  steps: readonly Step[];
}

/** What a run looks at, from what is stored of a piece. */
export function pieceGround({ run, view, stats, states, steps }: PieceFacts): Ground {
  const led = new Set(states.map((s) => s.stepId));
  const { plan, scanList, placements, mesh, model, dimensions, trust, deviation, surroundings, placings } = view;
  const current = new Set<string | undefined>([
    ...scanList.flatMap((s) => [s.cloud.id, s.framesId ?? undefined]),
    ...[placements, mesh, model, dimensions, trust, deviation, surroundings, placings].map((a) => a?.id),
  ]);
  const done = steps.filter((s) => s.status === 'done');
  // What changed nothing on what still stands, or only wrote a file, would do no other thing now.
  const idle = (s: Step): boolean => !changesPiece(s) && s.inputs.length > 0 && s.inputs.every((i) => current.has(i));
  const line = done
    .filter((s) => led.has(s.id) || idle(s))
    .map((s): LineStep => ({
      id: s.id,
      number: s.number,
      operationId: s.operationId,
      params: s.params,
      figures: s.figures ?? {},
      byRun: run.steps.includes(s.id),
      changed: led.has(s.id),
    }));
  const numbers = new Map(steps.map((s) => [s.id, s.number]));
  const broughtBy = new Map(scanList.map((s) => [s.name, numbers.get(s.original.stepId ?? '') ?? 0]));
  const newest = steps.findLast((s) => s.status !== 'queued' && s.status !== 'running');
  const mine = steps.filter((s) => run.steps.includes(s.id));
  const failed = newest && newest.status !== 'done' && mine.includes(newest) ? newest : undefined;
  const doubted = new Set(view.doubts.flatMap((d) => d.scans));
  return {
    stats: { ...stats, plan: undefined },
    plan,
    scans: groundScans(
      scanList.map((s) => s.name),
      scanList.map((s) => ({ ...s.placement, doubt: doubted.has(s.name) })),
      (name) => broughtBy.get(name) ?? 0,
    ),
    pointsBrought: scanList.reduce((n, s) => n + Number(s.original.facts.points ?? 0), 0),
    line,
    ...(failed
      ? {
          failed: {
            id: failed.id,
            number: failed.number,
            operationId: failed.operationId,
            status: failed.status as 'failed' | 'cancelled',
            error: failed.error ?? '',
          },
        }
      : {}),
    busy: steps.some((s) => s.status === 'queued' || s.status === 'running'),
    wentBack: mine.some((s) => s.status === 'done' && changesPiece(s) && s.number > run.sinceNumber && !led.has(s.id)),
  };
}

const changesPiece = (s: Step): boolean =>
  s.outputs.length > 0 && Boolean(operationOf(s)?.gives.some((kind) => kind !== 'file'));
