import type { DepthFrame } from '../geometry/depth-frame.js';
import { identity, invertRigid, multiply, rotationAngle, type Mat4 } from '../math/mat4.js';
import { solvePoseGraph, type PoseLink } from '../registration/index.js';
import type { RunContext } from '../runtime/run-context.js';
import {
  alignFromSecondStart,
  alignPainted,
  buildDepthPyramid,
  lightAtDepthPixels,
  type DepthLevel,
  type ProjectiveIcpStage,
} from '../tracking/index.js';

/** Frames whose pictures are kept unpacked at a time. */
const KEPT = 16;
/** From so many frames on their pictures are compared at half their size. */
const MANY = 60;
/** A difference of contrast of 1 weighs as much as this many mm. */
const CONTRAST = 6;
/** What a link must show: share on known places, of it lying on the surface, and agreement of the paint. */
const OVERLAP = 0.3;
const INLIERS = 0.8;
const CORRELATION = 0.35;
/** Links that lead farther from where tracking had them are chance, mm and radians. */
const FARTHEST = 40;
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
export function linkFrames(frames: readonly DepthFrame[], pairs: readonly [number, number][], ctx: RunContext): Mat4[] {
  const start = frames.map((f) => f.scanFromSensor);
  if (frames.length < 3 || !frames.every((f) => f.color)) return start;
  const pyramids = new Pyramids(frames);
  const links: PoseLink[] = [];
  const ordered = pairs.slice().sort((p, q) => p[0] - q[0] || p[1] - q[1]);
  ordered.forEach(([a, b], k) => {
    ctx.checkpoint(k / ordered.length);
    const link = linkOf(a, b, pyramids, multiply(invertRigid(start[a]), start[b]));
    if (link) links.push(link);
  });
  const turn = meanSquareDepth(pyramids.of(0)[0]) * TRACKED;
  const tracked = Float64Array.from({ length: 36 }, (_, i) => (i % 7 !== 0 ? 0 : i < 21 ? turn : TRACKED));
  for (let i = 1; i < frames.length; i++)
    links.push({ a: i - 1, b: i, aFromB: multiply(invertRigid(start[i - 1]), start[i]), information: tracked });
  return solvePoseGraph(start, links, 0);
}

function linkOf(a: number, b: number, pyramids: Pyramids, aFromB: Mat4): PoseLink | undefined {
  const model = pyramids.of(a);
  const frame = pyramids.of(b);
  const stage = (k: number, iterations: number, maxDistance: number): ProjectiveIcpStage => ({
    frame: frame[k],
    model: model[k],
    iterations,
    maxDistance,
    patience: k === 0 ? 1 : 8,
    references: [{ level: model[k], fromModel: identity(), scale: CONTRAST }],
  });
  const stages = [stage(2, 10, 12), stage(1, 8, 6), stage(0, 6, 3)];
  const r = alignFromSecondStart(stages, aFromB, alignPainted(stages, aFromB));
  if (!r.wellPosed || r.overlapRatio < OVERLAP || r.inlierRatio < INLIERS) return undefined;
  const moved = multiply(r.modelFromFrame, invertRigid(aFromB));
  if (
    Math.hypot(
      r.modelFromFrame[12] - aFromB[12],
      r.modelFromFrame[13] - aFromB[13],
      r.modelFromFrame[14] - aFromB[14],
    ) > FARTHEST
  )
    return undefined;
  if (rotationAngle(moved) > MOST_TURN) return undefined;
  if (r.compared > 0 && r.correlation < CORRELATION) return undefined;
  return { a, b, aFromB: r.modelFromFrame, information: r.information };
}

function meanSquareDepth({ points }: DepthLevel): number {
  let sum = 0;
  let n = 0;
  for (let i = 2; i < points.length; i += 3) {
    if (points[i] === 0) continue;
    sum += points[i] * points[i];
    n++;
  }
  return n > 0 ? sum / n : 0;
}

/** Pyramids of the frames asked for lately. */
class Pyramids {
  private readonly kept = new Map<number, DepthLevel[]>();

  private readonly skip: number;

  constructor(private readonly frames: readonly DepthFrame[]) {
    this.skip = frames.length > MANY ? 1 : 0;
  }

  of(i: number): DepthLevel[] {
    const known = this.kept.get(i);
    this.kept.delete(i);
    const { camera, depth, color } = this.frames[i];
    const levels = known ?? buildDepthPyramid(camera, depth, 3, color && lightAtDepthPixels(camera, color), this.skip);
    this.kept.set(i, levels);
    if (this.kept.size > KEPT) this.kept.delete(this.kept.keys().next().value!);
    return levels;
  }
}
