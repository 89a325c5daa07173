import { changedFrame, type DepthFrame } from '../geometry/depth-frame.js';
import type { PointCloud } from '../geometry/point-cloud.js';
import { createRandom } from '../math/random.js';
import { invertRigid, multiply, rotationAngle, transformPoint, type Mat4, type Vec3 } from '../math/mat4.js';
import { refineJointly, type RefinementScan } from '../registration/index.js';
import type { RunContext } from '../runtime/run-context.js';
import { PointGrid } from '../spatial/point-grid.js';
import { buildDepthPyramid } from '../tracking/index.js';
import { medianOf, pairsOf } from './frame-pairs.js';
import { linkFrames } from './link-frames.js';

export interface RefineFramesOptions {
  /** Points of a frame that are tried against each neighbour; 0 takes fewer the more frames there are. */
  samples: number;
  /** Neighbours that a frame is compared with. */
  neighbours: number;
  seed: number;
  /** Says as well whether the frames agreed before: two more looks at all pairs. */
  compare: boolean;
}

export const REFINE_FRAMES_DEFAULTS: RefineFramesOptions = { samples: 0, neighbours: 10, seed: 1, compare: false };

export interface RefinedFrames {
  frames: DepthFrame[];
  /** How far each frame's view was moved (mm, at the middle of what it sees) and turned (radians). */
  shifts: Float32Array;
  turns: Float32Array;
  /** Root mean square distance of each frame to its neighbours' surfaces, mm; NaN for one without neighbours. */
  residuals: Float32Array;
  /** Numbers of frames that don't fit: far from their neighbours, or without any. */
  misfits: number[];
  /** Whether they agreed as well before, and nobody was moved by more than noise moves them; only if it was asked. */
  agreed?: boolean;
}

/** Frames are fitted together at about this width, pixels: finer ones cost time and bring nothing that noise leaves. */
const WIDTH = 160;
/** A frame fits badly if its residual is so many times the usual one. */
const MISFIT = 2.5;
/**
 * Frames agreed before if their surfaces then lay on each other nearly as well, and none was moved by more than this share of the
 * spacing. Exact places pass; a tremor of 0.02 mm, as the demo's jug has, no longer does (1.08 to 1.48). Common practice, no source.
 */
const NEARLY = 1.05;
const HARDLY = 0.1;
/** Neighbours that a frame is linked with by shape and paint together. */
const LINKS = 6;
/** What the shape hardly holds stays as it was linked, see `refineJointly`. */
const HOLD = 6e-4;

/**
 * Moves the frames of one scan so that the small errors of tracking, which add up along the way, are spread over all
 * frames that see the same places: the ends of a round meet. The first frame stays.
 * O(frames · neighbours · samples + frames³) an iteration.
 *
 * The frames are linked by shape and paint first (`linkFrames`), then evened out by the shape alone, which is finer.
 *
 * Source: F. Lu, E. Milios (1997), Globally consistent range scan alignment for environment mapping; see `refineJointly`.
 */
export async function refineFrames(
  frames: readonly DepthFrame[],
  options: Partial<RefineFramesOptions>,
  ctx: RunContext,
): Promise<RefinedFrames> {
  const o = { ...REFINE_FRAMES_DEFAULTS, ...options };
  const surfaces = frames.map((f, i) => {
    ctx.checkpoint((0.2 * i) / frames.length);
    return surfaceOf(f);
  });
  const spacing = medianOf(surfaces.map((s) => s.spacing).filter((s) => s > 0));
  const random = createRandom(o.seed);
  const scans = surfaces.map(({ cloud }): RefinementScan => {
    const n = cloud.positions.length / 3;
    const sample = Uint32Array.from({ length: n }, (_, i) => i);
    for (let i = n - 1; i > 0; i--) {
      const j = Math.floor(random() * (i + 1));
      [sample[i], sample[j]] = [sample[j], sample[i]];
    }
    return { cloud, grid: new PointGrid(cloud.positions, 1.6 * spacing), sample };
  });
  const tracked = frames.map((f) => f.scanFromSensor);
  const middlesFrom = (poses: readonly Mat4[]): Vec3[] =>
    surfaces.map((s, i) => transformPoint(poses[i], s.middle[0], s.middle[1], s.middle[2]));
  const start = await linkFrames(frames, pairsOf(tracked, middlesFrom(tracked), LINKS), ctx.part(0.2, 0.6));
  const middles = middlesFrom(start);
  const joint = {
    startDistance: 3.2 * spacing,
    endDistance: 0.65 * spacing,
    endTukey: 0.32 * spacing,
    samples: o.samples || Math.round(Math.max(250, Math.min(1000, 30_000 / frames.length))),
    maxIterations: 24,
    hold: HOLD,
    pairs: pairsOf(start, middles, o.neighbours),
  };
  const { pieceFromScan, residuals: pairs } = refineJointly(scans, start, [0], joint, ctx.part(0.6, 0.95));
  const shifts = new Float32Array(frames.length);
  const turns = new Float32Array(frames.length);
  const squares = new Float64Array(frames.length);
  const counts = new Uint32Array(frames.length);
  frames.forEach((_, i) => {
    const moved = multiply(pieceFromScan[i], invertRigid(tracked[i]));
    const [x, y, z] = middles[i];
    const to = transformPoint(moved, x, y, z);
    shifts[i] = Math.hypot(to[0] - x, to[1] - y, to[2] - z);
    turns[i] = rotationAngle(moved);
  });
  for (const { a, b, rms } of pairs) {
    for (const i of [a, b]) {
      squares[i] += rms * rms;
      counts[i]++;
    }
  }
  /** Whether the surfaces lie on each other nearly as well where the frames stood as where they stand now. */
  const liesAsWell = (before: Mat4[]): boolean => {
    // One round measures all pairs before it moves anything.
    const once = { ...joint, startDistance: joint.endDistance, maxIterations: 1 };
    const apart = (poses: Mat4[]): number =>
      medianOf(refineJointly(scans, poses, [0], once, ctx.part(1, 1)).residuals.map((r) => r.rms));
    return apart(before) <= NEARLY * apart(pieceFromScan);
  };
  const residuals = Float32Array.from(squares, (s, i) => (counts[i] > 0 ? Math.sqrt(s / counts[i]) : NaN));
  const usual = medianOf(Array.from(residuals).filter((r) => r > 0));
  const misfits = frames.map((_, i) => i).filter((i) => !(residuals[i] <= MISFIT * usual));
  return {
    frames: frames.map((f, i) => changedFrame(f, { scanFromSensor: pieceFromScan[i], drift: shifts[i] })),
    shifts,
    turns,
    residuals,
    misfits: frames.length > 2 ? misfits : [],
    ...(o.compare ? { agreed: shifts.every((s) => s <= HARDLY * spacing) && liesAsWell(tracked) } : {}),
  };
}

/** Points and normals of a frame at about this width, their spacing, and their middle in the sensor's frame. */
function surfaceOf(frame: DepthFrame): { cloud: PointCloud; spacing: number; middle: Vec3 } {
  const halvings = Math.max(1, Math.round(Math.log2(frame.camera.width / WIDTH)));
  const [level] = buildDepthPyramid(frame.camera, frame.depth, 1, undefined, halvings);
  const { points, normals } = level;
  const kept: number[] = [];
  for (let i = 0; i < points.length; i += 3) if (normals[i + 2] !== 0) kept.push(i);
  const positions = new Float32Array(3 * kept.length);
  const turned = new Float32Array(3 * kept.length);
  const middle: Vec3 = [0, 0, 0];
  kept.forEach((i, k) => {
    positions.set(points.subarray(i, i + 3), 3 * k);
    turned.set(normals.subarray(i, i + 3), 3 * k);
    for (let c = 0; c < 3; c++) middle[c] += points[i + c] / kept.length;
  });
  return { cloud: { positions, normals: turned }, spacing: middle[2] / level.camera.fx, middle };
}
