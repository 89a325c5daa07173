import { pointCount, type Scan } from '@amber-knit/core/geometry';
import { OPERATION_IDS } from './operation-ids.js';
import { defineOperation } from './operation.js';
import { countText } from './quantity-text.js';
import { ChoiceParam, FlagParam, LengthParam, TextParam } from './params.js';
import { noteMisfits, REFINING_FIGURES, refiningFigures } from './refined-frames.js';

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

/** Spacings are no finer than this, mm; and what is taken where the first frame measured nothing. */
const FINEST = 0.1;
const COARSE = 1;

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
    const { aimedAt, cropFrames, estimateSpacing, footprintOf, joinFrames } =
      await import('@amber-knit/core/pointcloud');
    const { refineFrames } = await import('@amber-knit/core/frames');
    const { withoutSupport } = await import('./without-support.js');
    ctx.checkpoint(0.05, 'Reading frames');
    const { placeMarkedFrames } = await import('@amber-knit/core/turntable');
    const tracked = placeMarkedFrames(decodeCapture(file.bytes).frames, ctx.part(0.02, 0.05)).frames;
    const refined =
      params.refine && tracked.length > 2 ? await refineFrames(tracked, {}, ctx.part(0.05, 0.4)) : undefined;
    const recorded = refined?.frames ?? tracked;
    if (refined) noteMisfits(refined, tracked, ctx);
    const frames = params.within > 0 ? cropFrames(recorded, aimedAt(recorded[0]), params.within) : recorded;
    const spacing = params.spacing || Math.max(FINEST, footprintOf(recorded[0]) || COARSE);
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
        ...(refined ? refiningFigures([refined]) : {}),
        spacing: estimateSpacing(scan.cloud),
      },
    };
  },
  figures: {
    name: { kind: 'text', rank: 'detail', label: 'Name', help: 'What the scan is called.' },
    frames: { kind: 'count', rank: 'headline', label: 'Frames', help: 'Depth pictures that were kept.' },
    points: { kind: 'count', rank: 'headline', label: 'Points', help: 'Points of the scan, without the support.' },
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
    ...REFINING_FIGURES,
  },
  summarize: (f) => `${f.name}: ${countText(f.frames)} frames, ${countText(f.points)} points`,
});
