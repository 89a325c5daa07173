import TinyQueue from 'tinyqueue';
import {
  fromAxisAngle,
  invertRigid,
  multiply,
  rotationAngle,
  transformPoint,
  type Mat4,
  type Vec3,
} from '../math/mat4.js';
import type { RunContext } from '../runtime/run-context.js';
import type { FoundWay } from './placing.js';
import { QUICK, THOROUGH, type PlacingGround } from './placing-ground.js';

/** Steps of the profile. */
const STEPS = 60;
/** Between what was looked at it may be tighter by so much at most, mm; places looked at at most. */
const PRECISION = 0.02;
const MOST_LOOKS = 4000;

/** A part of a way between two looks: where it begins, how long it is, what was seen at both ends, and the least there can be. */
interface Gap {
  at: number;
  part: number;
  a: number;
  b: number;
  lowest: number;
}

/** The straight way from one placing to another: the piece's middle goes straight, evenly turning about one axis. */
export function wayBetween(
  from: Mat4,
  to: Mat4,
  middle: Vec3,
): { at(share: number): Mat4; speed(radius: number): number } {
  const start = transformPoint(from, ...middle);
  const end = transformPoint(to, ...middle);
  const turn = multiply(to, invertRigid(from));
  const angle = rotationAngle(turn);
  const axis = axisOf(turn, angle);
  const path = start.map((c, k) => end[k] - c) as Vec3;
  return {
    at(share) {
      if (share === 0) return from;
      if (share === 1) return to;
      const turned = multiply(fromAxisAngle(axis, share * angle), from);
      const middleNow = transformPoint(turned, ...middle);
      const out = turned.slice();
      for (let k = 0; k < 3; k++) out[12 + k] += start[k] + share * path[k] - middleNow[k];
      return out;
    },
    // No place of the piece goes further than this over the whole way.
    speed: (radius) => Math.hypot(...path) + angle * radius,
  };
}

/** Unit axis of a rotation by an angle from 0 to π. */
function axisOf(m: Mat4, angle: number): Vec3 {
  const v: Vec3 = [m[6] - m[9], m[8] - m[2], m[1] - m[4]];
  const length = Math.hypot(...v);
  if (length > 1e-9) return v.map((c) => c / length) as Vec3;
  if (angle < 1) return [0, 0, 1];
  // Half a turn: R + 1 is twice the axis times itself.
  const k = [0, 1, 2].reduce((best, i) => (m[5 * i] > m[5 * best] ? i : best));
  const column: Vec3 = [m[4 * k], m[4 * k + 1], m[4 * k + 2]];
  column[k] += 1;
  const l = Math.hypot(...column);
  return column.map((c) => c / l) as Vec3;
}

/**
 * Where it is tightest on the way from one placing to another. No place of the piece goes further between two looks than a
 * bound tells, so neither can the clearance fall by more: what lies between is looked at only while it could be tighter than
 * the tightest so far.
 */
export function findTightest(ground: PlacingGround, from: Mat4, to: Mat4, ctx: RunContext): FoundWay {
  const way = wayBetween(from, to, ground.middle);
  const speed = way.speed(ground.radius);
  /** Clearance at a share of the way; below 0 how deep it clashes. */
  const signedAt = (share: number): number => {
    const found = ground.look(way.at(share), QUICK);
    return found.clash ? -found.clash.depth : found.state === 'unseen' ? 0 : found.clearance.distance;
  };
  const profile: number[] = [];
  for (let i = 0; i <= STEPS; i++) {
    ctx.checkpoint((0.5 * i) / STEPS);
    profile.push(signedAt(i / STEPS));
  }
  let best = profile.reduce((least, v, i) => (v < profile[least] ? i : least), 0) / STEPS;
  let least = Math.min(...profile);
  // What lies between two looks is no less than its lowest.
  const gapOf = (at: number, part: number, a: number, b: number): Gap => ({
    at,
    part,
    a,
    b,
    lowest: (a + b - speed * part) / 2,
  });
  const open = new TinyQueue<Gap>(
    profile.slice(1).map((v, i) => gapOf(i / STEPS, 1 / STEPS, profile[i], v)),
    (x, y) => x.lowest - y.lowest,
  );
  let within = 0;
  for (let looks = 0; open.length > 0; looks++) {
    const { at, part, a, b, lowest } = open.pop()!;
    if (lowest >= least - PRECISION) break;
    if (looks >= MOST_LOOKS || least < 0) {
      // Where it clashes anyway, how deep is told as deep as it was seen.
      within = least - lowest;
      break;
    }
    ctx.checkpoint(0.5 + (0.5 * looks) / MOST_LOOKS);
    const half = part / 2;
    const value = signedAt(at + half);
    if (value < least) [least, best] = [value, at + half];
    open.push(gapOf(at, half, a, value));
    open.push(gapOf(at + half, half, value, b));
  }
  const tightest = way.at(best);
  return {
    profile,
    at: best,
    sceneFromPiece: Array.from(tightest),
    found: ground.look(tightest, THOROUGH),
    within: Math.max(PRECISION, within),
  };
}
