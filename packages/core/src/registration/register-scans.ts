import { assertUsableCloud } from '../geometry/point-cloud.js';
import {
  loosePlacement,
  sensorPositions,
  type Placement,
  type PlacementAgreement,
  type PlacementDoubt,
  type Scan,
} from '../geometry/scan.js';
import { identity, invertRigid, multiply, type Mat4 } from '../math/mat4.js';
import type { RunContext } from '../runtime/run-context.js';
import { mapTask } from '../runtime/map-task.js';
import { assembleScans } from './assemble.js';
import { describeDoubt, type CompetingPlacements } from './competing-placements.js';
import {
  addEvidence,
  agreementFrom,
  evidenceQuality,
  evidenceScore,
  judgePlacement,
  marksAreMeaningful,
  noEvidence,
  withoutMarks,
  type EvidenceScale,
} from './evidence.js';
import { refineJointly, type PairResidual, type RefinementScan } from './joint-refinement.js';
import { findPairCandidates, type PairCandidate } from './pair-candidates.js';
import { uprightFrame } from './upright-frame.js';
import { polishByPaint } from './paint-polish.js';
import { prepareScanTask, reviveScan, suggestScale } from './prepare-scan.js';
import type { PreparedScan, RegistrationScale } from './prepared-scan.js';

export interface RegisterScansOptions {
  /** Name of the scan that stays put; empty = the first that fits. */
  reference: string;
  /** Cell of the thinned clouds for features, mm; 0 = from the data. */
  coarseCell: number;
  /** Cell of the thinned clouds for fine registration, mm; 0 = from the data. */
  fineCell: number;
}

export const REGISTER_SCANS_DEFAULTS: RegisterScansOptions = { reference: '', coarseCell: 0, fineCell: 0 };

export interface RegisterScansResult {
  placements: Placement[];
  reference: string;
  residuals: PairResidual[];
  /** Sets of scans that could as well sit elsewhere; they are *placed*, not *registered*. */
  doubts: PlacementDoubt[];
  /** Weighted root mean square over all pairs, mm. */
  rms: number;
  worstRms: number;
  converged: boolean;
}

/**
 * Registers any number of scans in unknown positions: features and consistent sets for every pair, assembly under
 * free-space, overlap and paint evidence, then refinement of all together. Scans that fit nowhere stay loose, and those
 * that fit in several places stay *placed* with their doubt; that is a result, not an error. A single scan is its own reference.
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
  const shared: PairTask = { prepared, cell: scale.coarse, evidenceScale };
  const found = await mapTask('compare-pair', comparePair, shared, pairs, ctx.part(0.25, 0.65, 'Comparing pairs'));
  const candidates = weighMarks(found, prepared);
  const assembly = assembleScans(
    prepared,
    candidates,
    scale.coarse,
    evidenceScale,
    prepared.findIndex((s) => s.name === o.reference),
    ctx.part(0.65, 0.8, 'Assembling'),
  );
  return finish(scans, prepared, assembly, o.reference, scale, ctx.part(0.8, 1, 'Registering together'));
}

/** What refining led to, and how one scan agrees with all others where it came to lie. */
export interface RefinedPlacements extends RegisterScansResult {
  /** Undefined for a scan that has no place, or no other beside it. `quality` as `evidenceQuality`. */
  agreementOf(name: string): (PlacementAgreement & { quality: number }) | undefined;
}

/**
 * Refines scans that are already about in place, all together. Loose and excluded scans are left as they are.
 * @throws GeometryError `empty-input` if a cloud is too small
 */
export async function refinePlacements(
  scans: Scan[],
  placements: Placement[],
  options: Partial<RegisterScansOptions>,
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
  const result = finish(scans, prepared, as, o.reference, scale, ctx.part(0.4, 1, 'Registering together'));
  const reference = result.placements.find((p) => p.name === result.reference);
  const old = byName.get(result.reference);
  // A doubt that was not decided stays, seen from the new frame.
  const newFromOld = reference && old ? multiply(reference.pieceFromScan, invertRigid(old.pieceFromScan)) : identity();
  const kept = new Map<PlacementDoubt, PlacementDoubt>();
  for (const p of result.placements) {
    const doubt = byName.get(p.name)?.doubt;
    if (!doubt || p.state !== 'registered') continue;
    if (!kept.has(doubt)) kept.set(doubt, movedDoubt(doubt, newFromOld));
    p.state = 'placed';
    p.doubt = kept.get(doubt);
  }
  result.doubts = [...kept.values()];
  for (const p of result.placements) {
    if (byName.get(p.name)?.state === 'excluded') Object.assign(p, byName.get(p.name));
  }
  const evidenceScale = { cell: scale.fine, noise: medianNoise(prepared) };
  return { ...result, agreementOf: (name) => agreementOf(prepared, result.placements, name, evidenceScale) };
}

/** How a placed scan agrees with all others that have a place. */
function agreementOf(
  prepared: PreparedScan[],
  placements: Placement[],
  name: string,
  scale: EvidenceScale,
): (PlacementAgreement & { quality: number }) | undefined {
  const place = new Map(
    placements.filter((p) => p.state !== 'loose' && p.state !== 'excluded').map((p) => [p.name, p]),
  );
  const own = prepared.find((s) => s.name === name);
  const mine = place.get(name);
  const others = prepared.filter((s) => s !== own && place.has(s.name));
  if (!own || !mine || others.length === 0) return undefined;
  const sum = noEvidence();
  for (const other of others) {
    const otherFromOwn = multiply(invertRigid(place.get(other.name)!.pieceFromScan), mine.pieceFromScan);
    addEvidence(sum, judgePlacement(own, other, otherFromOwn, scale, own.shuffle.length));
  }
  return { ...agreementFrom(sum, own.shuffle.length), quality: evidenceQuality(sum) };
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

/** What all comparisons of pairs share. */
export interface PairTask {
  prepared: PreparedScan[];
  cell: number;
  evidenceScale: EvidenceScale;
}

/** One comparison, as a task for a pool. */
export function comparePair({ prepared, cell, evidenceScale }: PairTask, [a, b]: [number, number]): PairCandidate[] {
  return findPairCandidates(prepared, a, b, cell, evidenceScale);
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

function finish(
  scanData: Scan[],
  prepared: PreparedScan[],
  { poses, blocks, rivals }: CompetingPlacements,
  referenceName: string,
  scale: RegistrationScale,
  ctx: RunContext,
): RegisterScansResult {
  const list = poses.flatMap((p, i) => (p ? [i] : []));
  const placements = prepared.map((s) => loosePlacement(s.name));
  if (list.length === 0) {
    return { placements, reference: '', residuals: [], doubts: [], rms: 0, worstRms: 0, converged: true };
  }
  const scans: RefinementScan[] = list.map((i) => ({
    cloud: prepared[i].fine,
    grid: prepared[i].fineGrid,
    sample: prepared[i].shuffle,
  }));
  const noise = medianNoise(list.map((i) => prepared[i]));
  const wanted = list.findIndex((i) => prepared[i].name === referenceName);
  const fixed = wanted >= 0 ? wanted : Math.max(0, list.indexOf(blocks[0]?.[0] ?? -1));
  const refined = refineJointly(
    scans,
    list.map((i) => poses[i]!),
    fixed,
    {
      startDistance: Math.max(0.7 * scale.coarse, 1.5 * scale.fine),
      endDistance: 1.5 * scale.fine,
      endTukey: Math.max(4.685 * noise, 0.15 * scale.fine),
      // What the shape leaves free, as the turn of a round body, stays where paint and features have put it.
      hold: 1e-4,
    },
    ctx,
  );
  const moved = prepared.map((_, i): Mat4 | undefined => refined.pieceFromScan[list.indexOf(i)]);
  polishByPaint(prepared, moved, list[fixed], { cell: scale.fine, noise }, ctx.part(1, 1));
  // The reference decides the piece's frame; everything else follows it.
  const pieceFromReference = uprightFrame(scanData[list[fixed]]);
  const pieceFromOld = multiply(pieceFromReference, invertRigid(refined.pieceFromScan[fixed]));
  list.forEach((i, k) => {
    placements[i].pieceFromScan = k === fixed ? pieceFromReference : multiply(pieceFromOld, moved[i]!);
    placements[i].state = 'registered';
  });
  const place = (m: Mat4): Mat4 => multiply(multiply(pieceFromOld, m), invertRigid(pieceFromOld));
  const doubts = [...new Set(rivals.map((r) => r.scans))].map((own) =>
    describeDoubt(
      prepared,
      rivals.filter((r) => r.scans === own),
      place,
    ),
  );
  for (const doubt of doubts) {
    for (const p of placements) if (doubt.scans.includes(p.name)) Object.assign(p, { state: 'placed', doubt });
  }
  const residuals = refined.residuals.map((r) => ({ ...r, a: list[r.a], b: list[r.b] }));
  list.forEach((i) => {
    const own = residuals.filter((r) => r.a === i || r.b === i);
    const share = own.reduce((s, r) => s + r.overlapRatio, 0);
    if (share > 0)
      placements[i].residual = Math.sqrt(own.reduce((s, r) => s + r.overlapRatio * r.rms * r.rms, 0) / share);
  });
  let sum = 0;
  let weight = 0;
  let worstRms = 0;
  for (const r of residuals) {
    sum += r.rms * r.rms * r.overlapRatio;
    weight += r.overlapRatio;
    worstRms = Math.max(worstRms, r.rms);
  }
  return {
    placements,
    reference: prepared[list[fixed]].name,
    residuals,
    doubts,
    rms: weight > 0 ? Math.sqrt(sum / weight) : 0,
    worstRms,
    converged: refined.converged,
  };
}

function medianNoise(scans: PreparedScan[]): number {
  return scans.map((s) => s.noise).sort((a, b) => a - b)[scans.length >> 1];
}
