import { dot3, identity, multiply, screwOf, turnAbout, type Axis, type Mat4 } from '../math/index.js';
import { evidenceQuality, paintCorrelation, paintDecides, type Evidence } from './evidence.js';
import type { GroupJoiner } from './group-joiner.js';
import { vertexOf } from './parabola.js';

/** Angles tried all round, and offsets from the best, in steps, through which a parabola is laid. */
const STEPS = 240;
const FINE = [-0.8, -0.6, -0.4, -0.2, 0, 0.2, 0.4, 0.6, 0.8];
const LOOK_SAMPLES = 150;
const SAMPLES = 5000;
/** What the shape leaves free stays where the paint has put it while the rest settles. */
const HOLD = 1e-2;
/** Motions that turn by less (radians), or shift along the axis by more (cells of the coarse clouds), are no turns. */
const LEAST_TURN = 0.1;
const MOST_SHIFT = 0.4;
/** Axes are one if they are this parallel (cosine) and pass so close to the same point (cells of the coarse clouds). */
const PARALLEL = 0.98;
const SAME_PLACE = 0.6;

/**
 * Where scans of a round body could be turned by any angle, the paint alone tells the right one: tries all angles about
 * the axes of the rival motions and returns the poses of all scans with these at the best place, settled, or undefined
 * if none is clearly better than now. O(axes · angles · scans · points).
 */
export function findBetterTurn(
  moving: readonly number[],
  others: readonly number[],
  poses: readonly (Mat4 | undefined)[],
  motions: readonly Mat4[],
  joiner: GroupJoiner,
): Mat4[] | undefined {
  const at = poses.map((p) => p ?? identity());
  const chosen = joiner.judge(moving, others, at, SAMPLES);
  const turned = (axis: Axis, angle: number): Mat4[] => {
    const out = at.slice();
    for (const i of moving) out[i] = multiply(turnAbout(axis, angle), at[i]);
    return out;
  };
  const judgeAt = (axis: Axis, angle: number, samples: number): Evidence =>
    joiner.judge(moving, others, turned(axis, angle), samples);
  const agreement = (e: Evidence): number => (evidenceQuality(e) > 0 ? paintCorrelation(e) : -1);
  let best: { poses: Mat4[]; evidence: Evidence } | undefined;
  for (const axis of distinctAxes(motions, joiner.coarseCell)) {
    const step = (2 * Math.PI) / STEPS;
    let top = { angle: 0, value: -1 };
    for (let k = 1; k < STEPS; k++) {
      const value = agreement(judgeAt(axis, k * step, LOOK_SAMPLES));
      if (value > top.value) top = { angle: k * step, value };
    }
    const vertex = vertexOf(FINE.map((t) => [t, agreement(judgeAt(axis, top.angle + t * step, SAMPLES))]));
    const there = turned(axis, top.angle + vertex * step);
    joiner.settle([...others, ...moving], there, 5, HOLD);
    const evidence = joiner.judge(moving, others, there, SAMPLES);
    if (!best || agreement(evidence) > agreement(best.evidence)) best = { poses: there, evidence };
  }
  return best && evidenceQuality(best.evidence) > 0 && paintDecides(best.evidence, chosen) > 0 ? best.poses : undefined;
}

/** Axes of those motions that are turns, without those met before. */
function distinctAxes(motions: readonly Mat4[], cell: number): Axis[] {
  const out: Axis[] = [];
  for (const m of motions) {
    const screw = screwOf(m);
    if (!screw || screw.angle < LEAST_TURN || Math.abs(screw.shift) > MOST_SHIFT * cell) continue;
    const { axis } = screw;
    const known = out.some(
      (a) =>
        Math.abs(dot3(a.direction, axis.direction)) > PARALLEL &&
        Math.hypot(a.point[0] - axis.point[0], a.point[1] - axis.point[1], a.point[2] - axis.point[2]) <
          SAME_PLACE * cell,
    );
    if (!known) out.push(axis);
  }
  return out;
}
