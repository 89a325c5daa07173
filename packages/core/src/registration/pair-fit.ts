import { symmetricEigen } from '../math/eigen.js';
import { identity, rotateVector, transformPoint, type Mat4, type Vec3 } from '../math/mat4.js';
import { RigidFit } from '../math/rigid-fit.js';

/** The same place in two scans, in the coordinates of each. */
export interface PointPair {
  from: Vec3;
  onto: Vec3;
}

/**
 * What is wrong or risky with a set of pairs. `few`: fewer than three; `line`: nearly in line, so that the turn about
 * it is left open; `plane`: nearly in one plane; `close`: close together for the size of the scan, so that small errors
 * turn it far; `pair`: one pair disagrees with all others; `scale`: the distances differ by a factor, as with a wrong
 * unit.
 */
export type PairWarning =
  | { kind: 'few'; missing: number }
  | { kind: 'line' | 'plane' }
  | { kind: 'close'; spread: number }
  | { kind: 'pair'; index: number; error: number }
  | { kind: 'scale'; factor: number };

export interface PairFit {
  /** Identity while there are fewer than three pairs. */
  ontoFromFrom: Mat4;
  /** Distance of each pair after fitting, mm. */
  errors: number[];
  /** Root mean square of the errors, mm. */
  rms: number;
  /** The moved scan's lengths times this would fit best; 1 while there are fewer than three pairs. */
  scale: number;
  warnings: PairWarning[];
}

/** Second and third spread over the first below which picks count as lying in line, or in a plane. */
const LINE = 0.12;
const PLANE = 0.06;
/** Picks spread over less than this part of the scan's diagonal are close together. */
const CLOSE = 0.15;
/** Picks by hand are about this good, as a part of the diagonal: errors below it blame no pair. */
const HAND = 0.01;
const SCALE = 0.05;

/**
 * The rigid motion that brings picked points together in the least-squares sense, with the error of each pair and
 * warnings. Limits of the warnings are common practice, no source.
 * @param size diagonal of the scan that is moved, mm
 *
 * Sources: B. K. P. Horn (1987), Closed-form solution of absolute orientation using unit quaternions (motion, and the
 * symmetric scale of the warning); S. Umeyama (1991), Least-squares estimation of transformation parameters between two
 * point patterns (the scale that fits best).
 */
export function fitPairs(pairs: readonly PointPair[], size: number): PairFit {
  if (pairs.length < 3) {
    const few: PairWarning = { kind: 'few', missing: 3 - pairs.length };
    return { ontoFromFrom: identity(), errors: pairs.map(() => 0), rms: 0, scale: 1, warnings: [few] };
  }
  const ontoFromFrom = motionOf(pairs);
  const errors = pairs.map((p) => errorOf(ontoFromFrom, p));
  const rms = Math.sqrt(errors.reduce((s, e) => s + e * e, 0) / errors.length);
  return { ontoFromFrom, errors, rms, scale: scaleOf(pairs, ontoFromFrom), warnings: warningsFor(pairs, size) };
}

function motionOf(pairs: readonly PointPair[]): Mat4 {
  const fit = new RigidFit();
  for (const { from, onto } of pairs) fit.add(...from, ...onto);
  return fit.solve();
}

/** The factor c of least Σ |onto − (c R from + t)|², the turn R being that of the rigid motion (it does not depend on c). */
function scaleOf(pairs: readonly PointPair[], motion: Mat4): number {
  const mean = (side: 'from' | 'onto', k: number): number => pairs.reduce((s, p) => s + p[side][k], 0) / pairs.length;
  const [f, o] = (['from', 'onto'] as const).map((side) => [0, 1, 2].map((k) => mean(side, k)));
  let across = 0;
  let squares = 0;
  for (const { from, onto } of pairs) {
    const p = from.map((v, k) => v - f[k]);
    const turned = rotateVector(motion, p[0], p[1], p[2]);
    for (let k = 0; k < 3; k++) {
      across += turned[k] * (onto[k] - o[k]);
      squares += p[k] * p[k];
    }
  }
  return squares > 0 && across > 0 ? across / squares : 1;
}

function errorOf(m: Mat4, { from, onto }: PointPair): number {
  const p = transformPoint(m, ...from);
  return Math.hypot(p[0] - onto[0], p[1] - onto[1], p[2] - onto[2]);
}

function warningsFor(pairs: readonly PointPair[], size: number): PairWarning[] {
  const out: PairWarning[] = [];
  const [first, second, third] = spreads(pairs.map((p) => p.onto));
  const from = spreads(pairs.map((p) => p.from));
  const factor = Math.hypot(first, second, third) / Math.max(1e-12, Math.hypot(...from));
  if (Math.abs(factor - 1) > SCALE) out.push({ kind: 'scale', factor });
  // Twice the standard deviation on either side: about what the picks span.
  if (4 * first < CLOSE * size) out.push({ kind: 'close', spread: 4 * first });
  if (second < LINE * first) out.push({ kind: 'line' });
  else if (third < PLANE * first) out.push({ kind: 'plane' });
  const odd = pairs.length >= 4 ? oddPair(pairs, HAND * size) : undefined;
  if (odd) out.push(odd);
  return out;
}

/** The pair that lies far from where all others would put it, while those agree among themselves. */
function oddPair(pairs: readonly PointPair[], least: number): PairWarning | undefined {
  let worst: { index: number; error: number; rest: number } | undefined;
  pairs.forEach((pair, index) => {
    const others = pairs.filter((_, k) => k !== index);
    const m = motionOf(others);
    const error = errorOf(m, pair);
    const rest = Math.sqrt(others.reduce((s, p) => s + errorOf(m, p) ** 2, 0) / others.length);
    if (!worst || rest < worst.rest) worst = { index, error, rest };
  });
  if (!worst || worst.error < 4 * Math.max(worst.rest, least)) return undefined;
  return { kind: 'pair', index: worst.index, error: worst.error };
}

/** Standard deviations of points along their principal directions, the widest first. */
function spreads(points: readonly Vec3[]): [number, number, number] {
  const n = points.length;
  const mean = [0, 1, 2].map((k) => points.reduce((s, p) => s + p[k], 0) / n);
  const c = new Float64Array(9);
  for (const p of points)
    for (let a = 0; a < 3; a++) for (let b = 0; b < 3; b++) c[3 * a + b] += ((p[a] - mean[a]) * (p[b] - mean[b])) / n;
  const { values } = symmetricEigen(c, 3);
  const [x, y, z] = Array.from(values, (v) => Math.sqrt(Math.max(0, v))).sort((a, b) => b - a);
  return [x, y, z];
}
