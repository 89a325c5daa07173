import { changedFrame, pointCount, wereRefined, type Scan } from '@amber-knit/core/geometry';
import { GeometryError } from '@amber-knit/core/runtime';
import { EachScanParams, scanNamed } from './each-scan.js';
import { OPERATION_IDS } from './operation-ids.js';
import { defineOperation } from './operation.js';
import { LengthParam } from './params.js';
import { countText, lengthText } from './quantity-text.js';
import { noteMisfits, REFINING_FIGURES, refiningFigures } from './refined-frames.js';

/** Fewer frames have nothing to agree on. */
const LEAST_FRAMES = 3;
/** Points that are one to a cube lie, in the middle, 0.79 of its edge from the next (measured on a lumpy ball and the jug). */
const CUBES = 1.26;

export class CleanRefineParams extends EachScanParams {
  @LengthParam({
    title: 'Spacing',
    min: 0,
    max: 20,
    help: 'Distance between the points that are made of the frames; empty or 0 keeps that of each scan.',
    whenEmpty: 'as it is',
  })
  spacing = 0;
}

/** Fits the frames of scans together, as is done with captures, and makes the points anew. */
export const cleanRefine = defineOperation({
  id: OPERATION_IDS.cleanRefine,
  version: 1,
  stage: 'clean',
  title: 'Make the frames agree',
  help: 'Moves the frames of a scan a little so that all that see the same place agree, by shape and colours, and makes its points anew. For depth pictures that came in with the positions of a tracker; captures are refined when they end, and left as they are unless they are chosen.',
  words: 'drift tracking poses trajectory rgbd depth pictures doubled lines blurred loop closure',
  needs: ['scans'],
  gives: ['scans'],
  params: CleanRefineParams,
  reads: (params) => params.only,
  suggest: () => ({}),
  async run({ scans }, params, ctx) {
    const { refineFrames, rejoinFrames } = await import('@amber-knit/core/frames');
    const { estimateSpacing } = await import('@amber-knit/core/pointcloud');
    const chosen = params.only.length === 0 ? scans : params.only.map((name) => scanNamed(scans, name));
    const able = chosen.filter((s) => (s.frames?.length ?? 0) >= LEAST_FRAMES);
    if (able.length === 0)
      throw new GeometryError(
        'empty-input',
        `None of these scans has ${LEAST_FRAMES} frames or more. Captures and folders of depth pictures have them; a cloud of points does not.`,
      );
    const wanted = params.only.length > 0 ? able : able.filter((s) => !wereRefined(s.frames!));
    const done = new Map<Scan, Scan>();
    const refined = [];
    const moved: Scan[] = [];
    for (const scan of wanted) {
      const part = ctx.part(done.size / wanted.length, (done.size + 1) / wanted.length, scan.name);
      const frames = scan.frames!;
      const r = await refineFrames(frames, { compare: true }, part.part(0, 0.8));
      noteMisfits(r, frames, ctx);
      if (r.agreed && !params.spacing) {
        // Places that are exact only lose by being moved as far as noise goes.
        ctx.note(`The frames of ${scan.name} agree already. They stay where they are.`);
        done.set(scan, { ...scan, frames: frames.map((f) => changedFrame(f, { drift: 0 })) });
        continue;
      }
      const cloud = rejoinFrames(
        scan.cloud,
        r.frames,
        frames.map((f) => f.scanFromSensor),
        params.spacing || CUBES * estimateSpacing(scan.cloud),
        part.part(0.8, 1),
      );
      refined.push(r);
      moved.push({ ...scan, cloud, frames: r.frames });
      done.set(scan, moved.at(-1)!);
    }
    return {
      outputs: { scans: scans.map((s) => done.get(s) ?? s) },
      figures: {
        scans: moved.length,
        frames: moved.reduce((n, s) => n + s.frames!.length, 0),
        points: moved.reduce((n, s) => n + pointCount(s.cloud), 0),
        ...(refined.length > 0 ? refiningFigures(refined) : {}),
      },
    };
  },
  figures: {
    scans: { kind: 'count', rank: 'detail', label: 'Scans', help: 'Scans whose frames were refined.' },
    frames: { kind: 'count', rank: 'detail', label: 'Frames', help: 'Depth pictures that were fitted together.' },
    points: { kind: 'count', rank: 'headline', label: 'Points', help: 'Points of these scans now.' },
    ...REFINING_FIGURES,
    refinedBy: { ...REFINING_FIGURES.refinedBy, rank: 'headline' },
  },
  summarize: (f) =>
    f.scans === 0
      ? 'All frames agreed already'
      : `${countText(f.frames)} frames agree within ${lengthText(f.residual)}, moved by up to ${lengthText(f.refinedBy)}`,
});
