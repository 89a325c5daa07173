import type { Figures, PieceStats } from '@amber-knit/operations';
import type { PlanAnswers } from '@amber-knit/planning';
import type { Facts } from './recipe.js';

/** A step that the piece as it stands came from, or one that changed nothing and would not now either. */
export interface LineStep {
  id: string;
  /** Counts up; a later step has a higher one. */
  number: number;
  operationId: string;
  params: Record<string, unknown>;
  figures: Figures;
  /** A run asked for it, not a person. */
  byRun: boolean;
  /** It made something; false where there was nothing to do. */
  changed: boolean;
}

/** A step that came to no good end after all that the piece came from. */
export interface FailedStep {
  id: string;
  number: number;
  operationId: string;
  status: 'failed' | 'cancelled';
  error: string;
}

/** All that is looked at to tell what comes next; the same for server and command line. */
export interface Ground {
  /** Without the plan's share. */
  stats: PieceStats;
  plan: PlanAnswers | null;
  /** By scan: its place, and the number of the step that brought it. */
  scans: readonly GroundScan[];
  /** Points of all scans as they came in. */
  pointsBrought: number;
  /** Oldest first. */
  line: readonly LineStep[];
  /** The newest step, where it failed. */
  failed?: FailedStep;
  /** A step runs or waits. */
  busy: boolean;
  /** A step of the run is no longer in the line: somebody went back. */
  wentBack: boolean;
}

export interface GroundScan {
  name: string;
  broughtBy: number;
  state: 'loose' | 'placed' | 'registered' | 'excluded';
  doubtful: boolean;
}

/** What conditions ask of a piece. */
export function factsOf({ stats, scans }: Pick<Ground, 'stats' | 'scans'>): Facts {
  return {
    scans: stats.scans,
    points: stats.points,
    triangles: stats.triangles,
    pictures: stats.hasFrames ? 1 : 0,
    unrefined: stats.unrefined,
    colours: stats.hasFrames || stats.hasColors ? 1 : 0,
    loose: scans.filter((s) => s.state === 'loose').length,
    doubtful: scans.filter((s) => s.doubtful).length,
  };
}

/** How scans stand by their placements; one without is loose. */
export function groundScans(
  names: readonly string[],
  placements: readonly { name: string; state: GroundScan['state']; doubt?: unknown }[],
  broughtBy: (name: string) => number = () => 0,
): GroundScan[] {
  return names.map((name) => {
    const placement = placements.find((p) => p.name === name);
    const state = placement?.state ?? 'loose';
    return { name, broughtBy: broughtBy(name), state, doubtful: Boolean(placement?.doubt) };
  });
}
