import { assertUsableCloud } from '../geometry/point-cloud.js';
import {
  hasPlace,
  sensorPositions,
  type Placement,
  type PlacementAgreement,
  type PlacementDoubt,
  type Scan,
} from '../geometry/scan.js';
import { identity, invertRigid, multiply, type Mat4 } from '../math/mat4.js';
import type { RunContext } from '../runtime/run-context.js';
import { mapTask } from '../runtime/map-task.js';
import { assembleScans, type Assembly } from './assemble.js';
import { believeSupports } from './believed-supports.js';
import { evidenceScore, marksAreMeaningful, withoutMarks, type EvidenceScale } from './evidence.js';
import { agreementOf, finishRegistration, medianNoise, type RegisterScansResult } from './finish-registration.js';
import { findPairCandidates, THOROUGH_PAIR_CANDIDATES, type PairCandidate } from './pair-candidates.js';
import { promisingPairs } from './promising-pairs.js';
import { describedClosely, prepareScanTask, reviveScan, suggestScale } from './prepare-scan.js';
import type { PreparedScan, RegistrationScale } from './prepared-scan.js';

export interface RegisterScansOptions {
  /** Name of the scan that stays put; empty = the first that fits. */
  reference: string;
  /** Cell of the thinned clouds for features, mm; 0 = from the data. */
  coarseCell: number;
  /** Cell of the thinned clouds for fine registration, mm; 0 = from the data. */
  fineCell: number;
  /** Placements of scans that stay where they are, whatever the others do; the others come to them. */
  locked: readonly Placement[];
}

export const REGISTER_SCANS_DEFAULTS: RegisterScansOptions = { reference: '', coarseCell: 0, fineCell: 0, locked: [] };

/** So many pairs are compared again at most: more would take too long. The most promising are. */
const MOST_PAIRS_AGAIN = 150;

/**
 * Registers any number of scans in unknown positions: features and consistent sets for every pair (of many scans, for those that look alike), assembly under
 * free-space, overlap and paint evidence (loose scans are compared more thoroughly and assembled anew), then refinement
 * of all together. Scans that fit nowhere stay loose, and those
 * that fit in several places stay *placed* with their doubt; that is a result, not an error. A single scan is its own
 * reference. Locked scans stay, and the others come to them.
 */
export async function registerScans(
  scans: Scan[],
  options: Partial<RegisterScansOptions>,
  ctx: RunContext,
): Promise<RegisterScansResult> {
  const o = { ...REGISTER_SCANS_DEFAULTS, ...options };
  const scale = chooseScale(scans, o);
  const prepared = await prepareScans(scans, scale, ctx.part(0, 0.25, 'Describing scans'));

  const evidenceScale: EvidenceScale = { cell: scale.fine, noise: medianNoise(prepared) };
  const pairs = scans.flatMap((_, a) => scans.slice(a + 1).map((_s, k): [number, number] => [a, a + 1 + k]));
  const shared: PairTask = { prepared, cell: scale.coarse, evidenceScale, thorough: false };
  const compare = async (which: readonly number[], thorough: boolean, own: RunContext): Promise<void> => {
    const chosen = which.map((k) => pairs[k]);
    const more = await mapTask('compare-pair', comparePair, { ...shared, thorough }, chosen, own);
    which.forEach((k, i) => (found[k] = more[i]));
  };
  const found: PairCandidate[][] = pairs.map(() => []);
  await compare(promisingPairs(prepared, pairs), false, ctx.part(0.25, 0.6, 'Comparing pairs'));
  believeSupports(scans, prepared, found, ctx);
  const locked = lockedPlaces(scans, o.locked);
  const reference = prepared.findIndex((s) => s.name === o.reference);
  const assemble = (own: RunContext): Assembly =>
    assembleScans(prepared, weighMarks(found, prepared), scale.coarse, evidenceScale, reference, locked, own);
  let assembly = assemble(ctx.part(0.6, 0.7, 'Assembling'));
  const again = pairsOfLoose(pairs, found, assembly.poses);
  if (again.length > 0) {
    const loose = ctx.part(0.7, 0.77, 'Looking more closely at loose scans');
    await compare(again, true, loose);
    assembly = assemble(ctx.part(0.77, 0.8, 'Assembling'));
  }
  const end = ctx.part(0.8, 1, 'Registering together');
  return finishRegistration(scans, prepared, assembly, o.reference, locked, scale, end);
}

/** What refining led to, and how one scan agrees with all others where it came to lie. */
export interface RefinedPlacements extends RegisterScansResult {
  /** Undefined for a scan that has no place, or no other beside it. `quality` as `evidenceQuality`. */
  agreementOf(name: string): (PlacementAgreement & { quality: number }) | undefined;
}

/**
 * Refines scans that are already about in place, all together. Loose, excluded and locked scans are left as they are.
 * @throws GeometryError `empty-input` if a cloud is too small
 */
export async function refinePlacements(
  scans: Scan[],
  placements: Placement[],
  options: Partial<Omit<RegisterScansOptions, 'locked'>>,
  ctx: RunContext,
): Promise<RefinedPlacements> {
  const o = { ...REGISTER_SCANS_DEFAULTS, ...options };
  const scale = chooseScale(scans, o);
  const prepared = await prepareScans(scans, scale, ctx.part(0, 0.4, 'Describing scans'));
  const byName = new Map(placements.map((p) => [p.name, p]));
  const poses = scans.map((s) => {
    const p = byName.get(s.name);
    return p && (p.state === 'placed' || p.state === 'registered') ? p.pieceFromScan : undefined;
  });
  const as = { poses, blocks: [], rivals: [] };
  const locked = lockedPlaces(
    scans,
    placements.filter((p) => p.locked && hasPlace(p)),
  );
  const end = ctx.part(0.4, 1, 'Registering together');
  const result = finishRegistration(scans, prepared, as, o.reference, locked, scale, end);
  const reference = result.placements.find((p) => p.name === result.reference);
  const old = byName.get(result.reference);
  // A doubt that was not decided stays, seen from the new frame.
  const newFromOld = reference && old ? multiply(reference.pieceFromScan, invertRigid(old.pieceFromScan)) : identity();
  const kept = new Map<PlacementDoubt, PlacementDoubt>();
  for (const p of result.placements) {
    const before = byName.get(p.name);
    // What was registered, or decided by the operator, stays so.
    if (before?.state === 'registered' && p.doubt) {
      p.doubt = undefined;
      p.state = 'registered';
    }
    const doubt = before?.doubt;
    // All but other places has been looked at anew.
    if (!doubt || doubt.rivals.length === 0) continue;
    if (!kept.has(doubt)) kept.set(doubt, movedDoubt(doubt, newFromOld));
    p.state = 'placed';
    p.doubt = kept.get(doubt);
  }
  result.doubts = [...new Set(result.placements.flatMap((p) => p.doubt ?? []))];
  for (const p of result.placements) {
    if (byName.get(p.name)?.state === 'excluded') Object.assign(p, byName.get(p.name));
  }
  const evidenceScale = { cell: scale.fine, noise: medianNoise(prepared) };
  return { ...result, agreementOf: (name) => agreementOf(prepared, result.placements, name, evidenceScale) };
}

function lockedPlaces(scans: readonly Scan[], placements: readonly Placement[]): Map<number, Mat4> {
  const places = placements.map((p) => [scans.findIndex((s) => s.name === p.name), p.pieceFromScan] as const);
  return new Map(places.filter(([i]) => i >= 0));
}

function movedDoubt(doubt: PlacementDoubt, newFromOld: Mat4): PlacementDoubt {
  const rivals = doubt.rivals.map((r) => ({
    ...r,
    pieceFromPiece: multiply(multiply(newFromOld, r.pieceFromPiece), invertRigid(newFromOld)),
  }));
  return { ...doubt, rivals };
}

/** The candidates that shape and paint allow; marks that agree nowhere are taken from the scans. */
function weighMarks(found: PairCandidate[][], prepared: PreparedScan[]): PairCandidate[] {
  let candidates = found.flat();
  if (!marksAreMeaningful(found.map((pair) => pair.map((c) => c.evidence)))) {
    for (const s of prepared) if (s.paint) s.paint.marks = new Uint32Array(0);
    candidates = candidates.map((c) => {
      const evidence = withoutMarks(c.evidence);
      return { ...c, evidence, score: evidenceScore(evidence) };
    });
  }
  return candidates.filter((c) => c.score > 0);
}

/** Numbers of the pairs that could bring loose scans to the others, those whose best candidate is the best first. */
function pairsOfLoose(
  pairs: readonly [number, number][],
  found: readonly PairCandidate[][],
  poses: readonly (Mat4 | undefined)[],
): number[] {
  const best = found.map((candidates) => candidates.reduce((most, c) => Math.max(most, c.score), 0));
  const again = pairs.flatMap(([a, b], k) => (poses[a] && poses[b] ? [] : [k]));
  return again.sort((k, l) => best[l] - best[k] || k - l).slice(0, MOST_PAIRS_AGAIN);
}

/** What all comparisons of pairs share. */
export interface PairTask {
  prepared: PreparedScan[];
  cell: number;
  evidenceScale: EvidenceScale;
  /** Takes several times as long, and finds more of those that overlap little. */
  thorough: boolean;
}

/** One comparison, as a task for a pool. */
export function comparePair(
  { prepared, cell, evidenceScale, thorough }: PairTask,
  [a, b]: [number, number],
): PairCandidate[] {
  if (!thorough) return findPairCandidates(prepared, a, b, cell, evidenceScale);
  const closely = prepared.slice();
  for (const i of [a, b]) closely[i] = describedClosely(prepared[i], cell);
  return findPairCandidates(closely, a, b, cell, evidenceScale, THOROUGH_PAIR_CANDIDATES);
}

function chooseScale(scans: Scan[], o: RegisterScansOptions): RegistrationScale {
  for (const s of scans) assertUsableCloud(s.cloud, s.name);
  const suggested = suggestScale(scans);
  return { coarse: o.coarseCell || suggested.coarse, fine: o.fineCell || suggested.fine };
}

async function prepareScans(scans: Scan[], scale: RegistrationScale, ctx: RunContext): Promise<PreparedScan[]> {
  const jobs = scans.map((s) => ({
    // Depth images are not needed here and would be copied to every core.
    scan: { ...s, viewpoints: sensorPositions(s), frames: undefined },
    seed: 1 + Math.floor(ctx.random() * 0xffffffff),
  }));
  return (await mapTask('prepare-scan', prepareScanTask, scale, jobs, ctx)).map(reviveScan);
}
