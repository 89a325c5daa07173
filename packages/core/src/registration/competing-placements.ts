import type { PlacementAgreement, PlacementDoubt } from '../geometry/scan.js';
import { multiply, type Mat4 } from '../math/mat4.js';
import type { RunContext } from '../runtime/run-context.js';
import { DisjointSets } from '../spatial/disjoint-sets.js';
import { agreementFrom, evidenceScore, paintCorrelation, type Evidence } from './evidence.js';
import type { GroupJoiner } from './group-joiner.js';
import {
  advantage,
  inDoubt,
  isRefuted,
  MovedEvidence,
  refutation,
  StandingEvidence,
  type Comparison,
} from './moved-evidence.js';
import type { PairCandidate } from './pair-candidates.js';
import { findPieceMotions } from './piece-motions.js';
import type { PreparedScan } from './prepared-scan.js';
import { findBetterTurn } from './turn-search.js';

/** Another way in which scans could sit, about as good as the one chosen. */
export interface RivalPlacement {
  /** Scans that move together: how they sit to one another is not in doubt. */
  scans: number[];
  /** Moves them from where they are to the rival place. */
  pieceFromPiece: Mat4;
  /** Against all other scans, as placed and at the rival place. */
  chosen: Evidence;
  rival: Evidence;
}

export interface CompetingPlacements {
  poses: (Mat4 | undefined)[];
  /** Scans that are sure of one another; the first set holds the frame. */
  blocks: number[][];
  rivals: RivalPlacement[];
}

/** Scans are moved to better places at most so often for each scan. */
const MOVES_EACH = 1;
/** Correlation of the paint over all scans from which on it is worth a search. */
const TELLING = 0.3;

/**
 * Finds out which scans could as well sit elsewhere. There are motions under which much of the piece falls onto itself
 * (`findPieceMotions`). For each, the scans are clustered: two sets belong together if moving one of them against the
 * other is contradicted by shape, free space or paint. What is left apart could be moved without contradiction. Where a
 * rival place is better (mostly by paint), scans are moved there first, alone or several together, and round bodies are
 * turned to where their paint agrees.
 * O(motions · scans² · points).
 */
export function findCompetingPlacements(
  scans: PreparedScan[],
  placed: readonly (Mat4 | undefined)[],
  candidates: readonly PairCandidate[],
  coarseCell: number,
  joiner: GroupJoiner,
  reference: number,
  ctx: RunContext,
): CompetingPlacements {
  const poses = placed.slice();
  const list = poses.flatMap((p, i) => (p ? [i] : []));
  const motions = findPieceMotions(scans, poses, list, candidates, coarseCell, joiner);
  const standing = new StandingEvidence(list, joiner);
  const tables = motions.map((motion) => new MovedEvidence(motion, standing));
  const judge = (positions: readonly number[]): void => {
    if (tables.length === 0) return;
    standing.update(positions, poses);
    for (const table of tables) {
      ctx.checkpoint(0.5);
      table.update(positions, poses);
    }
  };
  const all = list.map((_, k) => k);
  judge(all);
  const most = MOVES_EACH * list.length;
  const searched = new Set<string>();
  for (let move = 0; ; move++) {
    ctx.checkpoint(0.5 + (0.5 * move) / (most + 1));
    const blocks = surestBlocks(tables, list, reference, joiner.locked);
    const locked = joiner.locked.size > 0 ? blocks[0] : undefined;
    const better = move < most ? bestMove(tables, blocks, locked) : undefined;
    if (better) {
      for (const k of better.set) poses[list[k]] = multiply(better.motion, poses[list[k]]!);
      judge(better.set);
      continue;
    }
    const held = locked ?? heldBlock(tables, blocks);
    const named = [held, ...blocks.filter((b) => b !== held)].map((block) => block.map((k) => list[k]));
    const rivals = rivalsOf(tables, blocks, held, list);
    const turned =
      move < most && paintTells(tables, list) ? betterTurn(named, rivals, poses, joiner, searched) : undefined;
    if (!turned) return { poses, blocks: named, rivals };
    for (const i of list) poses[i] = turned[i];
    judge(all);
  }
}

/** True if the paint of the scans as they sit agrees to speak of: bare surfaces need not be searched for it. */
function paintTells(tables: readonly MovedEvidence[], list: readonly number[]): boolean {
  const all = list.map((_, k) => k);
  return tables.length > 0 && paintCorrelation(tables[0].between(all, all).chosen) > TELLING;
}

/** A turn by any angle that makes a set in doubt agree clearly better, if there is one; each set is tried once. */
function betterTurn(
  blocks: readonly number[][],
  rivals: readonly RivalPlacement[],
  poses: readonly (Mat4 | undefined)[],
  joiner: GroupJoiner,
  tried: Set<string>,
): Mat4[] | undefined {
  for (const block of blocks.slice(1)) {
    const own = rivals.filter((r) => r.scans.join() === block.join());
    if (own.length === 0 || tried.has(block.join())) continue;
    tried.add(block.join());
    const others = blocks.flat().filter((i) => !block.includes(i));
    const motions = own.map((r) => r.pieceFromPiece);
    const turned = findBetterTurn(block, others, poses, motions, joiner);
    if (turned) return turned;
  }
  return undefined;
}

/**
 * Sets of list positions that no motion parts: first the one with the locked scans, then the one with the reference, if
 * there are any, then the larger ones.
 */
function surestBlocks(
  tables: readonly MovedEvidence[],
  list: readonly number[],
  reference: number,
  locked: ReadonlySet<number>,
): number[][] {
  const parts = tables.map((table) => partition(table, list.length));
  const blocks = new Map<string, number[]>();
  for (let k = 0; k < list.length; k++) {
    const key = parts.map((p) => p[k]).join(',');
    blocks.set(key, [...(blocks.get(key) ?? []), k]);
  }
  const isLocked = (block: number[]): boolean => block.some((k) => locked.has(list[k]));
  const first = (block: number[]): number => (isLocked(block) ? 2 : block.some((k) => list[k] === reference) ? 1 : 0);
  const whole = [...blocks.values()].filter(isLocked).flat();
  const all = [...(whole.length > 0 ? [whole] : []), ...[...blocks.values()].filter((b) => !isLocked(b))];
  return all.sort((a, b) => first(b) - first(a) || b.length - a.length);
}

/** Clusters scans, those first that speak most strongly against the motion; the number of each scan's cluster. */
function partition(table: MovedEvidence, n: number): number[] {
  const sets = new DisjointSets(n);
  for (;;) {
    const roots = new Map<number, number[]>();
    for (let i = 0; i < n; i++) roots.set(sets.find(i), [...(roots.get(sets.find(i)) ?? []), i]);
    const clusters = [...roots.values()];
    let best: { a: number; b: number; by: number } | undefined;
    for (let a = 0; a < clusters.length; a++) {
      for (let b = 0; b < a; b++) {
        const there = table.between(clusters[a], clusters[b]);
        if (!isRefuted(there)) continue;
        const back = table.between(clusters[b], clusters[a]);
        if (!isRefuted(back)) continue;
        const by = Math.min(refutation(there), refutation(back));
        if (!best || by > best.by) best = { a: clusters[a][0], b: clusters[b][0], by };
      }
    }
    if (!best) return Array.from({ length: n }, (_, i) => sets.find(i));
    sets.union(best.a, best.b);
  }
}

/**
 * Sets that could be moved together, starting from one block and always taking along the block that gains most by it (two
 * halves that are each consistent would else hold each other where they are). The `held` block stays.
 */
function* growingSets(
  table: MovedEvidence,
  seed: readonly number[],
  blocks: readonly number[][],
  held?: readonly number[],
): Generator<{ set: readonly number[]; comparison: Comparison }> {
  const compare = (set: readonly number[]): Comparison => {
    const rest = blocks.flat().filter((k) => !set.includes(k));
    return table.between(set, rest);
  };
  let left = blocks.filter((b) => b !== seed && b !== held);
  let set = seed;
  for (;;) {
    const comparison = compare(set);
    yield { set, comparison };
    const by = advantage(comparison);
    const next = left
      .map((block) => ({ block, by: advantage(compare([...set, ...block])) }))
      .reduce((a, b) => (b.by > a.by ? b : a), { block: [] as number[], by });
    if (next.block.length === 0) return;
    set = [...set, ...next.block];
    left = left.filter((b) => b !== next.block);
  }
}

/** The move that makes the piece agree best, if there is one; the `locked` block takes no part in any. */
function bestMove(
  tables: readonly MovedEvidence[],
  blocks: readonly number[][],
  locked: readonly number[] | undefined,
): { motion: Mat4; set: readonly number[] } | undefined {
  let best: { motion: Mat4; set: readonly number[]; by: number } | undefined;
  for (const table of tables) {
    for (const seed of blocks) {
      if (seed === locked) continue;
      for (const { set, comparison } of growingSets(table, seed, blocks, locked)) {
        const by = advantage(comparison);
        if (by > 0 && (!best || by > best.by)) best = { motion: table.motion, set, by };
      }
    }
  }
  return best;
}

/** The block that the others are judged against: the first that could not move itself, else the first of all. */
function heldBlock(tables: readonly MovedEvidence[], blocks: readonly number[][]): readonly number[] {
  const couldMove = (block: number[]): boolean =>
    tables.some((table) => inDoubt(growingSets(table, block, blocks).next().value!.comparison));
  return blocks.find((block) => !couldMove(block)) ?? blocks[0] ?? [];
}

/** Rival places of the blocks that could move, alone or with others, against the one that is held. */
function rivalsOf(
  tables: readonly MovedEvidence[],
  blocks: readonly number[][],
  held: readonly number[],
  list: readonly number[],
): RivalPlacement[] {
  return blocks.flatMap((block) => {
    if (block === held) return [];
    const scans = block.map((k) => list[k]);
    return tables.flatMap((table) => {
      for (const { comparison: c } of growingSets(table, block, blocks, held)) {
        if (inDoubt(c)) return [{ scans, pieceFromPiece: table.motion, chosen: c.chosen, rival: c.rival }];
      }
      return [];
    });
  });
}

/** The doubt over one set of scans as it is kept with their placements; `place` turns motions into the final frame. */
export function describeDoubt(
  scans: readonly PreparedScan[],
  rivals: readonly RivalPlacement[],
  place: (pieceFromPiece: Mat4) => Mat4,
): PlacementDoubt {
  const own = rivals[0].scans;
  const points = own.reduce((n, i) => n + scans[i].shuffle.length, 0);
  const agreement = (e: Evidence): PlacementAgreement => agreementFrom(e, points);
  return {
    scans: own.map((i) => scans[i].name),
    chosen: agreement(rivals[0].chosen),
    rivals: rivals
      .slice()
      .sort((a, b) => evidenceScore(b.rival) - evidenceScore(a.rival))
      .map((r) => ({ pieceFromPiece: place(r.pieceFromPiece), agreement: agreement(r.rival) })),
  };
}
