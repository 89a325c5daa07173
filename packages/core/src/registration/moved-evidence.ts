import { identity, multiply, type Mat4 } from '../math/mat4.js';
import {
  addEvidence,
  CERTAIN,
  contradictions,
  evidenceQuality,
  evidenceScore,
  noEvidence,
  paintDecides,
  paintPrefers,
  PENALTY,
  type Evidence,
} from './evidence.js';
import type { GroupJoiner } from './group-joiner.js';

/** A rival place is ruled out if it is contradicted by so much more, as a share of the points that match. */
const REFUTED = 0.4;
/** Contradictions are compared to at least this share of the points. */
const LEAST_SCALE = 0.5;
/** So much of the moved scans, or of what matches in the chosen place, must match in a rival one. */
const LEAST_OVERLAP = 0.6;
/** By so much a rival's score must be better for its scans to be moved there; or its paint by so many deviations. */
const BETTER = 1.05;
const HINT = 1;
/** Taken from a move's advantage while shape or overlap forbid it: other scans may have to go along. */
const FORBIDDEN = 1000;
/** Points looked at for each pair: at least so many, and more where there are few scans to gather them from. */
const SAMPLES = 800;
const SAMPLES_OF_A_SCAN = 8000;

/** Two sets of scans against each other: as placed, and with the first set moved. */
export interface Comparison {
  chosen: Evidence;
  rival: Evidence;
  /** Points of the smaller set, counted from both sides as partners are. */
  points: number;
}

/**
 * True if the rival place is contradicted clearly more than the chosen one, by paint or by shape. How much overlaps says
 * little: a wheel's scans turned by a wrong spoke may overlap more than in their right place.
 */
export const isRefuted = (c: Comparison): boolean => refutation(c) > 1;

/**
 * How strongly paint and shape speak against the rival place; more than 1 rules it out. They know nothing of each other,
 * so where both do their squares add up, as those of deviations do.
 */
export function refutation(c: Comparison): number {
  const paint = paintDecides(c.chosen, c.rival, HINT) > 0 ? paintPrefers(c.chosen, c.rival) / CERTAIN : 0;
  return Math.hypot(Math.max(0, paint), Math.max(0, shapeAgainst(c)));
}

/** The same by shape, free space and marks alone; where little overlaps it takes more than a few points. */
function shapeAgainst({ chosen, rival, points }: Comparison): number {
  const scale = Math.min(points, Math.max(chosen.matched, rival.matched, LEAST_SCALE * points));
  return (PENALTY * (contradictions(rival) - contradictions(chosen))) / (REFUTED * scale || 1);
}

/** True if the first set could sit at the rival place as far as these pairs tell. */
export function inDoubt(c: Comparison): boolean {
  return overlapsEnough(c) && !isRefuted(c);
}

const overlapsEnough = (c: Comparison): boolean =>
  c.rival.matched > LEAST_OVERLAP * Math.min(c.points, c.chosen.matched);

/** How much better the rival place is, in deviations of the paint: below 0 if it is worse, far below if impossible. */
export function advantage(c: Comparison): number {
  const paint = paintPrefers(c.rival, c.chosen);
  if (!overlapsEnough(c) || shapeAgainst(c) > 1 || evidenceQuality(c.rival) <= 0) return paint - FORBIDDEN;
  if (Math.abs(paint) > HINT) return paint;
  // Where the paint leaves it open a better score counts as a hint.
  return evidenceScore(c.rival) > BETTER * Math.max(0, evidenceScore(c.chosen)) ? HINT : 0;
}

/** Evidence of every listed scan against every other, row by row. */
class PairTable {
  readonly n: number;
  readonly pairs: Evidence[];
  /** Fewer scans are looked at more closely. */
  protected readonly samples: number;

  constructor(
    readonly list: readonly number[],
    readonly joiner: GroupJoiner,
  ) {
    this.n = list.length;
    this.pairs = Array.from({ length: this.n * this.n }, noEvidence);
    this.samples = Math.max(SAMPLES, Math.ceil(SAMPLES_OF_A_SCAN / Math.max(1, this.n - 1)));
  }

  /**
   * What shape, free space and paint say. Setups are names: they say where scans are tried, but take no doubt away, for among
   * wrongly placed scans of one setup each would hold the others there.
   */
  protected judged(i: number, j: number, poses: Mat4[]): Evidence {
    return { ...this.joiner.judgePair(i, j, poses, this.samples), offSupport: 0 };
  }
}

/** How the scans agree as they sit: the same for all motions, so judged once. */
export class StandingEvidence extends PairTable {
  /** Judges anew all pairs with one of these positions in the list. */
  update(positions: readonly number[], poses: readonly (Mat4 | undefined)[]): void {
    const { n, list } = this;
    const at = poses.map((p) => p ?? identity());
    for (let a = 0; a < n; a++) {
      for (let b = a + 1; b < n; b++) {
        if (!positions.includes(a) && !positions.includes(b)) continue;
        const evidence = this.judged(list[a], list[b], at);
        this.pairs[a * n + b] = this.pairs[b * n + a] = evidence;
      }
    }
  }
}

/** How the scans would agree with the first of each two moved. Kept up to date when scans are moved for good. */
export class MovedEvidence extends PairTable {
  private readonly points: number[];

  constructor(
    readonly motion: Mat4,
    private readonly standing: StandingEvidence,
  ) {
    super(standing.list, standing.joiner);
    this.points = standing.list.map((i) => standing.joiner.pointsOf(i));
  }

  /** Judges anew all pairs with one of these positions in the list. */
  update(positions: readonly number[], poses: readonly (Mat4 | undefined)[]): void {
    const { n, list } = this;
    const at = poses.map((p) => p ?? identity());
    const gone = at.slice();
    for (let a = 0; a < n; a++) {
      gone[list[a]] = multiply(this.motion, at[list[a]]);
      for (let b = 0; b < n; b++) {
        if (a === b || !(positions.includes(a) || positions.includes(b))) continue;
        this.pairs[a * n + b] = this.judged(list[a], list[b], gone);
      }
      gone[list[a]] = at[list[a]];
    }
  }

  /** Sums over the pairs between two sets of positions in the list, the first of them moved. */
  between(a: readonly number[], b: readonly number[]): Comparison {
    const chosen = noEvidence();
    const rival = noEvidence();
    for (const i of a) {
      for (const j of b) {
        addEvidence(chosen, this.standing.pairs[i * this.n + j]);
        addEvidence(rival, this.pairs[i * this.n + j]);
      }
    }
    const points = (set: readonly number[]): number => set.reduce((sum, i) => sum + this.points[i], 0);
    return { chosen, rival, points: 2 * Math.min(points(a), points(b)) };
  }
}
