import type { DepthFrame } from '../geometry/depth-frame.js';
import { invertRigid, multiply, transformPoint, type Mat4, type Vec3 } from '../math/mat4.js';
import type { RunContext } from '../runtime/run-context.js';
import { buildDepthPyramid, lightAtDepthPixels, surfelsOf, type DepthLevel } from '../tracking/index.js';
import { medianOf, pairsOf } from './frame-pairs.js';

/** What speaks for and against a frame. */
export interface FrameQuality {
  /** Distance of what it measured from its neighbours' surfaces, RMS, mm; NaN without neighbours. */
  residual: number;
  /** Difference of the contrast of its paint from its neighbours', mean; NaN without colours. */
  paint: number;
  /** Variance of the Laplacian of its picture over that of the frames around it: 1 is usual, less is blurred. */
  sharpness: number;
  /** Share of its pixels that measured anything. */
  valid: number;
  /** How far what it looks at moved across the view since the frame before, mm. */
  motion: number;
  /** How far it was moved to undo the drift of tracking, mm; NaN if that was never done. */
  drift: number;
}

export type FrameFault = 'misaligned' | 'blurred' | 'empty';

export interface JudgedFrames {
  qualities: FrameQuality[];
  /** For each frame what seems to be wrong with it; nobody but the user decides. */
  faults: FrameFault[][];
}

/** Frames are compared at about so many pixels across. */
const ACROSS = 200;
/** Points of a frame that are looked up in each neighbour. */
const SAMPLES = 900;
const NEIGHBOURS = 12;
/** What lies so far before or behind a neighbour's surface is another surface, as a share of the distance. */
const OTHER_SURFACE = 0.035;
/** Fewer compared points say nothing of a pair. */
const LEAST_COMPARED = 60;
/** So many robust deviations from the usual make a frame misaligned; a share of the usual counts as deviation at least. */
const ODD = 7;
const LEAST_DEVIATION = 0.08;
/** Frames around one that say what sharpness and depth are usual there. */
const AROUND = 6;
const BLURRED = 0.35;
const EMPTY = 0.3;

/**
 * Measures every frame of a scan against those that see the same place: does its surface lie on theirs, does its paint
 * agree, is its picture sharp, did it measure enough. Frames that stick out are proposed as faulty.
 * O(frames · neighbours · samples + pixels), in memory a small picture a frame.
 *
 * Sources: the distances are those of projective data association (G. Blais, M. Levine 1995, Registering multiview range
 * data to create 3D computer objects); sharpness after J. Pech-Pacheco, G. Cristóbal, J. Chamorro-Martínez, J.
 * Fernández-Valdivia (2000), Diatom autofocusing in brightfield microscopy; what sticks out after F. Hampel (1974), The
 * influence curve and its role in robust estimation (median absolute deviation).
 */
export function judgeFrames(frames: readonly DepthFrame[], ctx: RunContext): JudgedFrames {
  const looks = frames.map((frame, i) => {
    ctx.checkpoint((0.7 * i) / frames.length, `Frame ${i + 1} of ${frames.length}`);
    return lookOf(frame);
  });
  const poses = frames.map((f) => f.scanFromSensor);
  const middles = looks.map((l, i) => transformPoint(poses[i], ...l.middle));
  const residuals: number[][] = frames.map(() => []);
  const paints: number[][] = frames.map(() => []);
  const pairs = pairsOf(poses, middles, NEIGHBOURS);
  pairs.forEach(([a, b], k) => {
    if ((k & 63) === 0) ctx.checkpoint(0.7 + (0.3 * k) / pairs.length, 'Comparing frames');
    for (const [i, j] of [
      [a, b],
      [b, a],
    ]) {
      const found = compare(looks[i].level, looks[j].level, multiply(invertRigid(poses[j]), poses[i]));
      if (!found) continue;
      residuals[i].push(found.distance);
      residuals[j].push(found.distance);
      if (!Number.isFinite(found.paint)) continue;
      paints[i].push(found.paint);
      paints[j].push(found.paint);
    }
  });
  const middleOf = (values: number[]): number => (values.length > 0 ? medianOf(values) : NaN);
  const residual = residuals.map(middleOf);
  const paint = paints.map(middleOf);
  const around = (values: number[], i: number): number =>
    medianOf(values.slice(Math.max(0, i - AROUND), i + AROUND + 1).filter(Number.isFinite));
  const sharpness = looks.map((l) => l.sharpness);
  const valid = looks.map((l) => l.valid);
  const qualities = frames.map((_, i): FrameQuality => ({
    residual: residual[i],
    paint: paint[i],
    sharpness: Number.isFinite(sharpness[i]) ? sharpness[i] / (around(sharpness, i) || 1) : NaN,
    valid: valid[i],
    motion: i === 0 ? 0 : distance(middles[i], middles[i - 1], poses[i], poses[i - 1]),
    drift: frames[i].drift ?? NaN,
  }));
  const strayed = frames.length > 3 ? [sticksOut(residual), sticksOut(paint)] : [];
  const faults = qualities.map((q, i): FrameFault[] => [
    ...(strayed.some((odd) => odd(i)) ? ['misaligned' as const] : []),
    ...(q.sharpness < BLURRED ? ['blurred' as const] : []),
    ...(q.valid < EMPTY * around(valid, i) ? ['empty' as const] : []),
  ]);
  return { qualities, faults };
}

/** How far the view moved over the object: along it, and as it was turned about what it sees. */
function distance(m: Vec3, before: Vec3, pose: Mat4, poseBefore: Mat4): number {
  const shift = Math.hypot(m[0] - before[0], m[1] - before[1], m[2] - before[2]);
  const cos = pose[8] * poseBefore[8] + pose[9] * poseBefore[9] + pose[10] * poseBefore[10];
  const away = Math.hypot(m[0] - pose[12], m[1] - pose[13], m[2] - pose[14]);
  return Math.max(shift, away * Math.acos(Math.max(-1, Math.min(1, cos))));
}

/** Whether a value is far above the usual. Values that are unknown are not. */
function sticksOut(values: readonly number[]): (i: number) => boolean {
  const known = values.filter(Number.isFinite);
  if (known.length < 4) return () => false;
  const usual = medianOf(known.slice());
  const deviation = 1.4826 * medianOf(known.map((v) => Math.abs(v - usual)));
  const limit = usual + ODD * Math.max(deviation, LEAST_DEVIATION * usual);
  return (i) => values[i] > limit;
}

interface Look {
  level: DepthLevel;
  /** What it sees at its middle, in the sensor's frame. */
  middle: Vec3;
  valid: number;
  sharpness: number;
}

function lookOf({ camera, depth, color }: DepthFrame): Look {
  const skip = Math.max(0, Math.round(Math.log2(camera.width / ACROSS)));
  const [level] = buildDepthPyramid(camera, depth, 1, color && lightAtDepthPixels(camera, color), skip);
  const { starts } = surfelsOf(level);
  const middle: Vec3 = [0, 0, 0];
  for (const s of starts) for (let k = 0; k < 3; k++) middle[k] += level.points[s + k] / starts.length;
  let measured = 0;
  for (let i = 0; i < depth.length; i++) if (depth[i] > 0) measured++;
  return { level, middle, valid: measured / depth.length, sharpness: color ? sharpnessOf(color.image) : NaN };
}

/** Variance of the Laplacian of the green channel, over the picture's own variance. */
function sharpnessOf({ width, height, data }: { width: number; height: number; data: Uint8Array }): number {
  let sum = 0;
  let squares = 0;
  let light = 0;
  let lightSquares = 0;
  let n = 0;
  for (let y = 1; y + 1 < height; y++) {
    for (let x = 1; x + 1 < width; x++) {
      const i = 3 * (y * width + x) + 1;
      const v = data[i];
      const l = data[i - 3] + data[i + 3] + data[i - 3 * width] + data[i + 3 * width] - 4 * v;
      sum += l;
      squares += l * l;
      light += v;
      lightSquares += v * v;
      n++;
    }
  }
  const variance = (s: number, q: number): number => q / n - (s / n) ** 2;
  return n > 0 ? variance(sum, squares) / (variance(light, lightSquares) + 1) : NaN;
}

/** How one frame's points lie on another's surface, seen from that other; undefined if too few do. */
function compare(
  from: DepthLevel,
  onto: DepthLevel,
  ontoFromFrom: Mat4,
): { distance: number; paint: number } | undefined {
  const m = ontoFromFrom;
  const { starts } = surfelsOf(from);
  const step = Math.max(1, Math.floor(starts.length / SAMPLES));
  const { width, height, fx, fy, cx, cy } = onto.camera;
  const [p, n] = [from.points, from.normals];
  let squares = 0;
  let compared = 0;
  let paint = 0;
  let painted = 0;
  for (let s = 0; s < starts.length; s += step) {
    const i = starts[s];
    const x = m[0] * p[i] + m[4] * p[i + 1] + m[8] * p[i + 2] + m[12];
    const y = m[1] * p[i] + m[5] * p[i + 1] + m[9] * p[i + 2] + m[13];
    const z = m[2] * p[i] + m[6] * p[i + 1] + m[10] * p[i + 2] + m[14];
    if (!(z > 0)) continue;
    const u = Math.round((fx * x) / z + cx);
    const v = Math.round((fy * y) / z + cy);
    if (u < 0 || v < 0 || u >= width || v >= height) continue;
    const j = 3 * (v * width + u);
    const [a, b, c] = [onto.normals[j], onto.normals[j + 1], onto.normals[j + 2]];
    if (a === 0 && b === 0 && c === 0) continue;
    const other = OTHER_SURFACE * z;
    const behind = z - onto.points[j + 2];
    // Hidden behind what the other one sees: it says nothing.
    if (behind > other) continue;
    // Where the other one looked through, nothing can be.
    const off =
      behind < -other
        ? other
        : Math.abs(a * (x - onto.points[j]) + b * (y - onto.points[j + 1]) + c * (z - onto.points[j + 2]));
    const facing =
      a * (m[0] * n[i] + m[4] * n[i + 1] + m[8] * n[i + 2]) +
      b * (m[1] * n[i] + m[5] * n[i + 1] + m[9] * n[i + 2]) +
      c * (m[2] * n[i] + m[6] * n[i + 1] + m[10] * n[i + 2]);
    if (facing < 0.5) continue;
    squares += off * off;
    compared++;
    const contrast = from.contrast && onto.contrast ? from.contrast[i / 3] - onto.contrast[j / 3] : NaN;
    if (Number.isNaN(contrast)) continue;
    paint += Math.abs(contrast);
    painted++;
  }
  if (compared < LEAST_COMPARED) return undefined;
  return {
    distance: Math.sqrt(squares / compared),
    paint: painted >= LEAST_COMPARED ? paint / painted : NaN,
  };
}
