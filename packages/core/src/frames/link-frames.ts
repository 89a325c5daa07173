import type { DepthFrame } from '../geometry/depth-frame.js';
import { identity, invertRigid, multiply, rotationAngle, type Mat4 } from '../math/mat4.js';
import { solvePoseGraph, type PoseLink } from '../registration/index.js';
import { mapTask } from '../runtime/map-task.js';
import type { RunContext } from '../runtime/run-context.js';
import {
  alignFromSecondStart,
  alignPainted,
  buildDepthPyramid,
  lightAtDepthPixels,
  meanSquareDepth,
  type DepthLevel,
  type ProjectiveIcpStage,
} from '../tracking/index.js';

/** Frames whose pictures are kept unpacked at a time. */
const KEPT = 16;
/**
 * Pictures are compared at about this width, pixels. Twice as wide costs twice the time of the whole and brings nothing: a jug's
 * planted drift comes down to 0.010 mm either way, a turned gauge's is left smaller with this one.
 */
const WIDTH = 160;
/** Pairs that are compared in one go, by one thread: neighbouring ones share their frames. */
const GO = 16;
/** A difference of contrast of 1 weighs as much as this share of the distance to the surface. */
const CONTRAST = 0.018;
/** Points count up to so far from the other frame's, coarse to fine, as shares of the distance to the surface. */
const REACHES = [0.036, 0.018, 0.009];
/** What a link must show: share on known places, of it lying on the surface, and agreement of the paint. */
const OVERLAP = 0.3;
const INLIERS = 0.8;
const CORRELATION = 0.35;
/** Links that lead farther from where tracking had them are chance: share of the distance, and radians. */
const FARTHEST = 0.12;
const MOST_TURN = 0.2;
/** How far tracking itself is believed where no link says more, as a share of what a plane faced squarely says. */
const TRACKED = 2e-3;

/**
 * Poses of a scan's frames after comparing their pictures two by two: shape and paint together hold what the shape alone
 * leaves free, as the turn of a jug about its axis, and frames from the end of a round are linked to those of its
 * beginning. Frames without colours come back as they were. O(pairs · pixels + frames³).
 *
 * Sources: see `alignProjectively`, `accumulateContrast` and `solvePoseGraph`.
 */
export async function linkFrames(
  frames: readonly DepthFrame[],
  pairs: readonly [number, number][],
  ctx: RunContext,
): Promise<Mat4[]> {
  const start = frames.map((f) => f.scanFromSensor);
  if (frames.length < 3 || !frames.every((f) => f.color)) return start;
  const skip = halvings(frames);
  const ordered = pairs.slice().sort((p, q) => p[0] - q[0] || p[1] - q[1]);
  const goes: LinkGo[] = [];
  for (let k = 0; k < ordered.length; k += GO) {
    const some = ordered.slice(k, k + GO);
    const numbers = [...new Set(some.flat())];
    goes.push({
      frames: numbers.map((i) => sendable(i, frames[i])),
      pairs: some.map(([a, b]) => ({ a, b, aFromB: multiply(invertRigid(start[a]), start[b]) })),
      skip,
    });
  }
  const links = (await mapTask('link-frames', linkFramesTask, null, goes, ctx)).flat();
  const turn = meanSquareDepth(pyramidOf(frames[0], skip)[0]) * TRACKED;
  const tracked = Float64Array.from({ length: 36 }, (_, i) => (i % 7 !== 0 ? 0 : i < 21 ? turn : TRACKED));
  for (let i = 1; i < frames.length; i++)
    links.push({ a: i - 1, b: i, aFromB: multiply(invertRigid(start[i - 1]), start[i]), information: tracked });
  return solvePoseGraph(start, links, 0);
}

/** Some pairs with the frames that they need. */
export interface LinkGo {
  frames: (Pick<DepthFrame, 'camera' | 'depth' | 'color'> & { number: number })[];
  pairs: { a: number; b: number; aFromB: Mat4 }[];
  skip: number;
}

/** Links pairs of frames, as a task for a pool. */
export function linkFramesTask(_shared: null, { frames, pairs, skip }: LinkGo): PoseLink[] {
  const byNumber = new Map(frames.map((f) => [f.number, f]));
  const pyramids = new Pyramids((i) => pyramidOf(byNumber.get(i)!, skip));
  return pairs.flatMap(({ a, b, aFromB }) => linkOf(a, b, pyramids, aFromB) ?? []);
}

/** Its pictures are unpacked when they are sent, not before: what is sent is copied by its own properties. */
const sendable = (number: number, f: DepthFrame): LinkGo['frames'][number] => ({
  number,
  camera: f.camera,
  get depth() {
    return f.depth;
  },
  get color() {
    return f.color;
  },
});

/** How often the pictures are halved before they are compared. */
const halvings = ([first]: readonly DepthFrame[]): number =>
  Math.max(0, Math.round(Math.log2(first.camera.width / WIDTH)));

const pyramidOf = (
  { camera, depth, color }: Pick<DepthFrame, 'camera' | 'depth' | 'color'>,
  skip: number,
): DepthLevel[] => buildDepthPyramid(camera, depth, 3, color && lightAtDepthPixels(camera, color), skip);

function linkOf(a: number, b: number, pyramids: Pyramids, aFromB: Mat4): PoseLink | undefined {
  const model = pyramids.of(a);
  const frame = pyramids.of(b);
  const distance = Math.sqrt(meanSquareDepth(frame[0]));
  const stage = (k: number, iterations: number): ProjectiveIcpStage => ({
    frame: frame[k],
    model: model[k],
    iterations,
    maxDistance: REACHES[2 - k] * distance,
    patience: k === 0 ? 1 : 8,
    references: [{ level: model[k], fromModel: identity(), scale: CONTRAST * distance }],
  });
  const stages = [stage(2, 10), stage(1, 8), stage(0, 6)];
  const r = alignFromSecondStart(stages, aFromB, alignPainted(stages, aFromB));
  if (!r.wellPosed || r.overlapRatio < OVERLAP || r.inlierRatio < INLIERS) return undefined;
  const moved = multiply(r.modelFromFrame, invertRigid(aFromB));
  if (
    Math.hypot(
      r.modelFromFrame[12] - aFromB[12],
      r.modelFromFrame[13] - aFromB[13],
      r.modelFromFrame[14] - aFromB[14],
    ) >
    FARTHEST * distance
  )
    return undefined;
  if (rotationAngle(moved) > MOST_TURN) return undefined;
  if (r.compared > 0 && r.correlation < CORRELATION) return undefined;
  return { a, b, aFromB: r.modelFromFrame, information: r.information };
}

/** Pyramids of the frames asked for lately. */
class Pyramids {
  private readonly kept = new Map<number, DepthLevel[]>();

  constructor(private readonly make: (i: number) => DepthLevel[]) {}

  of(i: number): DepthLevel[] {
    const levels = this.kept.get(i) ?? this.make(i);
    this.kept.delete(i);
    this.kept.set(i, levels);
    if (this.kept.size > KEPT) this.kept.delete(this.kept.keys().next().value!);
    return levels;
  }
}
