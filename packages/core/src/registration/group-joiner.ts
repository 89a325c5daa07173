import { invertRigid, multiply, type Mat4 } from '../math/mat4.js';
import type { RunContext } from '../runtime/run-context.js';
import { isSamePlacement } from './consistent-placements.js';
import {
  addEvidence,
  compareEvidence,
  evidenceQuality,
  judgePlacement,
  noEvidence,
  type Evidence,
  type EvidenceScale,
} from './evidence.js';
import { findGroupPlacements } from './group-hypotheses.js';
import { REFINE_JOINTLY_DEFAULTS, refineJointly, type RefinementScan } from './joint-refinement.js';
import type { PairCandidate } from './pair-candidates.js';
import type { PreparedScan } from './prepared-scan.js';
import type { ScanGroups } from './scan-groups.js';

/** Least quality of the evidence (see `evidenceQuality`) for joining groups, at a first look and after settling. */
const LOOK_QUALITY = -2;
export const JOIN_QUALITY = 0.3;
/** Points looked at for each pair when groups are judged, and at a first look. */
const SAMPLES = 700;
const LOOK_SAMPLES = 200;
/** Distinct placements of one group on another that are compared, and how many of them are refined. */
const PROPOSALS = 10;
const FINALISTS = 5;

/** Judges how groups of scans may sit to one another, by all pairs of their scans at once. */
export class GroupJoiner {
  private readonly refinement: RefinementScan[];

  /**
   * @param candidates of single pairs, best first
   * @param locked scans that keep their places to one another
   */
  constructor(
    private readonly scans: PreparedScan[],
    private readonly candidates: PairCandidate[],
    /** Cell of the coarse clouds, mm. */
    readonly coarseCell: number,
    private readonly scale: EvidenceScale,
    private readonly ctx: RunContext,
    readonly locked: ReadonlySet<number> = new Set(),
  ) {
    this.refinement = scans.map((s) => ({ cloud: s.fine, grid: s.fineGrid, sample: s.fitOrder, trust: s.trust }));
  }

  /**
   * Poses of all scans in the frame of group `gb` after the best join that any candidate between the groups proposes
   * (and, with `search`, any that the features of both groups propose together); undefined if none holds.
   */
  bestJoin(groups: ScanGroups, ga: number, gb: number, search: boolean): Mat4[] | undefined {
    const a = groups.membersOf(ga);
    const b = groups.membersOf(gb);
    const moved = (gbFromGa: Mat4): Mat4[] => {
      const out = groups.poses.slice();
      for (const i of a) out[i] = multiply(gbFromGa, out[i]);
      return out;
    };
    const finalists = this.proposals(groups, ga, gb, search)
      .map((proposal) => {
        const poses = moved(proposal);
        return { poses, evidence: this.judge(a, b, poses, LOOK_SAMPLES) };
      })
      .filter((x) => evidenceQuality(x.evidence) >= LOOK_QUALITY)
      .sort((x, y) => compareEvidence(x.evidence, y.evidence))
      .slice(0, FINALISTS);
    const list = [...b, ...a];
    let best: { poses: Mat4[]; joint: Evidence } | undefined;
    for (const { poses } of finalists) {
      this.settle(list, poses, 5);
      const joint = this.judge(a, b, poses);
      if (evidenceQuality(joint) < JOIN_QUALITY) continue;
      if (!best || compareEvidence(joint, best.joint) < 0) best = { poses, joint };
    }
    return best?.poses;
  }

  /** Evidence over all pairs between two lists of scans. */
  judge(a: readonly number[], b: readonly number[], poses: Mat4[], samples = SAMPLES): Evidence {
    const total = noEvidence();
    for (const i of a) for (const j of b) addEvidence(total, this.judgePair(i, j, poses, samples));
    return total;
  }

  pointsOf(i: number): number {
    return this.scans[i].shuffle.length;
  }

  judgePair(i: number, j: number, poses: Mat4[], samples = SAMPLES): Evidence {
    const jFromI = multiply(invertRigid(poses[j]), poses[i]);
    return judgePlacement(this.scans[i], this.scans[j], jFromI, this.scale, samples);
  }

  /** Refines the listed scans' entries of `poses` together, roughly; `hold` as for `refineJointly`. */
  settle(list: readonly number[], poses: Mat4[], iterations: number, hold = REFINE_JOINTLY_DEFAULTS.hold): void {
    const locked = list.flatMap((i, k) => (this.locked.has(i) ? [k] : []));
    const { pieceFromScan } = refineJointly(
      list.map((i) => this.refinement[i]),
      list.map((i) => poses[i]),
      locked.length > 0 ? locked : [0],
      {
        startDistance: 0.8 * this.coarseCell,
        endDistance: 1.5 * this.scale.cell,
        endTukey: Math.max(0.5 * this.scale.cell, 5 * this.scale.noise),
        maxIterations: iterations,
        samples: 400,
        hold,
      },
      this.ctx.part(1, 1),
    );
    list.forEach((i, k) => (poses[i] = pieceFromScan[k]));
  }

  /** Distinct transforms from group `ga` to group `gb`. */
  private proposals(groups: ScanGroups, ga: number, gb: number, search: boolean): Mat4[] {
    const { poses } = groups;
    const first = groups.membersOf(ga)[0];
    const out: Mat4[] = [];
    const add = (gbFromGa: Mat4): void => {
      const at = multiply(gbFromGa, poses[first]);
      const known = (x: Mat4): boolean =>
        isSamePlacement(multiply(x, poses[first]), at, this.scans[first].coarse, 2 * this.coarseCell, 0.1);
      if (!out.some(known)) out.push(gbFromGa);
    };
    if (search) {
      const found = findGroupPlacements(
        this.scans,
        poses,
        groups.membersOf(ga),
        groups.membersOf(gb),
        this.coarseCell,
        PROPOSALS,
      );
      found.forEach(add);
    }
    const limit = out.length + PROPOSALS;
    for (const c of this.candidates) {
      if (out.length === limit) break;
      const forward = groups.groupOf(c.a) === ga && groups.groupOf(c.b) === gb;
      if (!forward && !(groups.groupOf(c.b) === ga && groups.groupOf(c.a) === gb)) continue;
      const [from, to, toFromFrom] = forward ? [c.a, c.b, c.bFromA] : [c.b, c.a, invertRigid(c.bFromA)];
      add(multiply(multiply(poses[to], toFromFrom), invertRigid(poses[from])));
    }
    return out;
  }
}
