import { pointCount, type Scan } from '@amber-knit/core/geometry';
import { OPERATION_IDS } from './operation-ids.js';
import { defineOperation } from './operation.js';
import { countText } from './quantity-text.js';
import { ChoiceParam, FlagParam, LengthParam, TextParam } from './params.js';

export class CaptureLiveParams {
  @TextParam({ title: 'Name', help: 'Name of the scan; empty takes the capture’s.' })
  name = '';

  @LengthParam({
    title: 'Spacing',
    min: 0,
    max: 20,
    help: 'Distance between the points of the scan; empty or 0 follows the sensor’s own.',
    whenEmpty: 'as the sensor',
  })
  spacing = 0;

  @ChoiceParam({
    title: 'Support',
    help: 'The table or floor under the object, with the rim above it.',
    choices: { remove: 'Remove', keep: 'Keep' },
  })
  support: 'remove' | 'keep' = 'remove';

  @LengthParam({
    title: 'Keep within',
    min: 0,
    max: 20_000,
    help: 'Only what lies so near to the place that the first frame aims at is kept; empty or 0 keeps the whole scene.',
    whenEmpty: 'the whole scene',
  })
  within = 0;

  @FlagParam({
    title: 'Refine the frames',
    help: 'Moves the frames a little so that all that see the same place agree, and the ends of a round meet.',
  })
  refine = true;
}

/** Makes a scan of the frames that were recorded while scanning. */
export const captureLive = defineOperation({
  id: OPERATION_IDS.captureLive,
  version: 3,
  stage: 'capture',
  title: 'Finish a capture',
  help: 'Joins the frames recorded while scanning into one scan, takes the support away and keeps frames and pictures.',
  needs: ['file'],
  gives: ['scans'],
  params: CaptureLiveParams,
  suggest: () => ({}),
  async run({ file }, params, ctx) {
    const { decodeCapture } = await import('@amber-knit/core/stored');
    const { aimedAt, cropFrames, estimateSpacing, joinFrames } = await import('@amber-knit/core/pointcloud');
    const { refineFrames } = await import('@amber-knit/core/frames');
    const { withoutSupport } = await import('./without-support.js');
    ctx.checkpoint(0.05, 'Reading frames');
    const { placeMarkedFrames } = await import('@amber-knit/core/turntable');
    const tracked = placeMarkedFrames(decodeCapture(file.bytes).frames, ctx.part(0.02, 0.05)).frames;
    const refined =
      params.refine && tracked.length > 2 ? await refineFrames(tracked, {}, ctx.part(0.05, 0.4)) : undefined;
    const recorded = refined?.frames ?? tracked;
    if (refined && refined.misfits.length > 0) {
      const names = refined.misfits.map((i) => tracked[i].name).join(', ');
      ctx.note(
        `${refined.misfits.length} of ${tracked.length} frames do not fit the others: ${names}. Look at them before registering.`,
      );
    }
    const frames = params.within > 0 ? cropFrames(recorded, aimedAt(recorded[0]), params.within) : recorded;
    const spacing = params.spacing || footprint(recorded[0]);
    ctx.checkpoint(0.4, 'Joining frames');
    const whole: Scan = {
      name: params.name || file.name,
      cloud: joinFrames(frames, spacing),
      frames,
    };
    ctx.checkpoint(0.6, 'Taking the support away');
    const { scan, removed } =
      params.support === 'remove'
        ? withoutSupport(whole, { clearance: 0, minShare: 0.08 }, ctx.part(0.6, 0.95))
        : { scan: whole, removed: 0 };
    return {
      outputs: { scans: [scan] },
      figures: {
        name: scan.name,
        frames: frames.length,
        points: pointCount(scan.cloud),
        supportPoints: removed,
        ...(refined
          ? {
              refinedBy: Math.max(...refined.shifts),
              residual: median(refined.residuals),
              misfits: refined.misfits.length,
            }
          : {}),
        spacing: estimateSpacing(scan.cloud),
      },
    };
  },
  figures: {
    name: { kind: 'text', rank: 'detail', label: 'Name', help: 'What the scan is called.' },
    frames: { kind: 'count', rank: 'headline', label: 'Frames', help: 'Depth pictures that were kept.' },
    points: { kind: 'count', rank: 'headline', label: 'Points', help: 'Points of the scan, without the support.' },
    misfits: {
      kind: 'count',
      rank: 'detail',
      label: 'Frames that don’t fit',
      help: 'Frames that lie off the others after refining. Look at them in Clean, and leave them out.',
      limits: { good: 0, bad: 3 },
    },
    spacing: {
      kind: 'length',
      rank: 'detail',
      label: 'Spacing',
      help: 'Distance from a point to the next, in the middle.',
    },
    supportPoints: {
      kind: 'count',
      rank: 'detail',
      label: 'Points of the support',
      help: 'Points of the table or platform that were left out.',
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
  },
  summarize: (f) => `${f.name}: ${countText(f.frames)} frames, ${countText(f.points)} points`,
});

/** Width of a pixel on the surface at the frame's middle distance, mm. */
function footprint(frame: { depth: Float32Array; camera: { fx: number } }): number {
  const measured = frame.depth.filter((z) => z > 0).sort();
  return Math.max(0.1, (measured[measured.length >> 1] ?? 400) / frame.camera.fx);
}

function median(values: Float32Array): number {
  const known = values.filter((v) => v >= 0).sort();
  return known[known.length >> 1] ?? 0;
}
