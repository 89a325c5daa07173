import type { RefinedFrames } from '@amber-knit/core/frames';
import type { DepthFrame } from '@amber-knit/core/geometry';
import type { RunContext } from '@amber-knit/core/runtime';
import type { FigureFields } from './figures.js';

/** Says which frames do not fit the others. */
export function noteMisfits({ misfits }: RefinedFrames, frames: readonly DepthFrame[], ctx: RunContext): void {
  if (misfits.length === 0) return;
  const names = misfits.map((i) => frames[i].name).join(', ');
  ctx.note(
    `${misfits.length} of ${frames.length} frames do not fit the others: ${names}. Look at them before registering.`,
  );
}

/** What refining one or more scans' frames came to: the worst of them. */
export function refiningFigures(refined: readonly RefinedFrames[]): {
  refinedBy: number;
  residual: number;
  misfits: number;
} {
  return {
    refinedBy: Math.max(...refined.map((r) => Math.max(...r.shifts))),
    residual: Math.max(...refined.map((r) => median(r.residuals))),
    misfits: refined.reduce((n, r) => n + r.misfits.length, 0),
  };
}

export const REFINING_FIGURES = {
  misfits: {
    kind: 'count',
    rank: 'detail',
    label: 'Frames that don’t fit',
    help: 'Frames that lie off the others after refining. Look at them in Clean, and leave them out.',
    limits: { good: 0, bad: 3 },
  },
  residual: {
    kind: 'length',
    rank: 'detail',
    label: 'Frames agree within',
    help: 'Distance of a frame’s points from its neighbours’ surfaces, root mean square, in the middle.',
  },
  refinedBy: {
    kind: 'length',
    rank: 'diagnostic',
    label: 'Drift undone',
    help: 'How far the most moved frame was moved to undo the drift of tracking.',
  },
} as const satisfies FigureFields;

function median(values: Float32Array): number {
  const known = values.filter((v) => v >= 0).sort();
  return known[known.length >> 1] ?? 0;
}
