import { fromTwist, multiply, type Mat4 } from '../math/mat4.js';
import { solveCholeskyInPlace } from '../math/solve.js';
import { compareContrast } from './contrast-term.js';
import { surfelsOf, type DepthLevel } from './depth-pyramid.js';
import { alignProjectively, type ProjectiveIcpResult, type ProjectiveIcpStage } from './projective-icp.js';

/** A motion is weakly held if the shape says so much less of it than of the others on average. */
const WEAK = 0.12;
/** Starts tried to either side. */
const STEPS = 5;
/** The paint must agree by so much better elsewhere for the start to be moved. */
const BETTER = 0.02;

/** An alignment with how well the paint agrees at its finest level. */
export type PaintedAlignment = ProjectiveIcpResult & { correlation: number; compared: number };

/** What is left of both shape and paint, mm; without paint of the shape alone. Less is better. */
export const misfitOf = ({ rms, correlation }: { rms: number; correlation: number }): number =>
  rms * (1 - Math.max(0, correlation));

/** Aligns, and compares the paint where the last stage has come to. */
export function alignPainted(stages: ProjectiveIcpStage[], start: Mat4, trust = 0): PaintedAlignment {
  const found = alignProjectively(stages, start, trust);
  const last = stages[stages.length - 1];
  return { ...found, ...compareContrast(last.frame, last.model, found.modelFromFrame) };
}

/**
 * Tries a second start along the one motion that the shape holds least, as the turn of a round body about its axis:
 * there an alignment stops short of where the paint belongs. The paint is compared coarsely at several places; where it
 * agrees best the alignment is run again, and the better of both is kept. O(alignment + steps · pixels).
 */
export function alignFromSecondStart(
  stages: ProjectiveIcpStage[],
  start: Mat4,
  first: PaintedAlignment,
): PaintedAlignment {
  const { frame, model } = stages[0];
  const motion = weakestMotion(frame, first.information);
  if (!motion) return first;
  let best = { pose: start, correlation: compareContrast(frame, model, first.modelFromFrame).correlation + BETTER };
  for (let k = -STEPS; k <= STEPS; k++) {
    if (k === 0) continue;
    const [a, b, c, x, y, z] = motion.map((v) => 0.5 * k * v);
    const pose = multiply(fromTwist(a, b, c, x, y, z), first.modelFromFrame);
    const { correlation } = compareContrast(frame, model, pose);
    if (correlation > best.correlation) best = { pose, correlation };
  }
  if (best.pose === start) return first;
  const second = alignPainted(stages, best.pose);
  return second.wellPosed && misfitOf(second) < misfitOf(first) ? second : first;
}

/** The least held motion as a twist that moves the visible surface by a pixel, or undefined if none is weakly held. */
function weakestMotion(frame: DepthLevel, A: ArrayLike<number>): number[] | undefined {
  const { starts } = surfelsOf(frame);
  const p = frame.points;
  if (starts.length < 60) return undefined;
  let squares = 0;
  for (const i of starts) squares += p[i] ** 2 + p[i + 1] ** 2 + p[i + 2] ** 2;
  const arm = Math.sqrt(squares / starts.length);
  // Turns count by what they move at the surface's distance, so that all six are lengths.
  const unit = [1 / arm, 1 / arm, 1 / arm, 1, 1, 1];
  const scaled = new Float64Array(36);
  let trace = 0;
  for (let r = 0; r < 6; r++) {
    for (let c = 0; c <= r; c++) scaled[6 * r + c] = A[6 * r + c] * unit[r] * unit[c];
    trace += scaled[7 * r];
  }
  for (let r = 0; r < 6; r++) scaled[7 * r] += 1e-9 * trace;
  // Inverse iteration: the weakest grows most.
  let x = Float64Array.from([1, 0.9, 1.1, 0.8, 1.2, 0.7]);
  let weakest = Infinity;
  for (let k = 0; k < 8; k++) {
    const solved = x.slice();
    if (!solveCholeskyInPlace(scaled.slice(), solved, 6)) return undefined;
    const length = Math.hypot(...solved);
    weakest = 1 / length;
    x = solved.map((v) => v / length);
  }
  if (weakest > (WEAK * trace) / 6) return undefined;
  const twist = Array.from(x, (v, i) => v * unit[i]);
  let moved = 0;
  for (const i of starts) {
    const [px, py, pz] = [p[i], p[i + 1], p[i + 2]];
    const [a, b, c, u, v, w] = twist;
    moved += (b * pz - c * py + u) ** 2 + (c * px - a * pz + v) ** 2 + (a * py - b * px + w) ** 2;
  }
  const pixel = arm / frame.camera.fx;
  const scale = pixel / Math.sqrt(moved / starts.length);
  return twist.map((v) => v * scale);
}
