import { assertUsableCloud } from '../geometry/point-cloud.js';
import { loosePlacement, type Placement, type Scan } from '../geometry/scan.js';
import { invertRigid, multiply, type Mat4 } from '../math/mat4.js';
import type { RunContext } from '../runtime/run-context.js';
import { assembleScans, type RivalPlacement } from './assemble.js';
import type { EvidenceScale } from './evidence.js';
import { refineJointly, type PairResidual, type RefinementScan } from './joint-refinement.js';
import { findPairCandidates, type PairCandidate } from './pair-candidates.js';
import { uprightFrame } from './upright-frame.js';
import { prepareScan, suggestScale, type PreparedScan, type RegistrationScale } from './prepared-scan.js';

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
  rivals: RivalPlacement[];
  /** Weighted root mean square over all pairs, mm. */
  rms: number;
  worstRms: number;
  converged: boolean;
}

/**
 * Registers any number of scans in unknown positions: features and consistent sets for every pair, assembly under
 * free-space and overlap evidence, then refinement of all together. Scans that fit nowhere stay loose; that is a
 * result, not an error. A single scan is its own reference.
 */
export function registerScans(
  scans: Scan[],
  options: Partial<RegisterScansOptions>,
  ctx: RunContext,
): RegisterScansResult {
  const o = { ...REGISTER_SCANS_DEFAULTS, ...options };
  for (const s of scans) assertUsableCloud(s.cloud, s.name);
  const suggested = suggestScale(scans);
  const scale: RegistrationScale = { coarse: o.coarseCell || suggested.coarse, fine: o.fineCell || suggested.fine };
  const prepared = scans.map((s, i) =>
    prepareScan(
      s,
      scale,
      1 + Math.floor(ctx.random() * 0xffffffff),
      ctx.part((0.25 * i) / scans.length, (0.25 * (i + 1)) / scans.length, 'Describing scans'),
    ),
  );

  const evidenceScale: EvidenceScale = { cell: scale.fine, noise: medianNoise(prepared) };
  const candidates: PairCandidate[] = [];
  const n = scans.length;
  const pairs = (n * (n - 1)) / 2;
  let done = 0;
  for (let a = 0; a < n; a++) {
    for (let b = a + 1; b < n; b++) {
      ctx.checkpoint(0.25 + (0.4 * done++) / pairs, 'Comparing pairs');
      candidates.push(...findPairCandidates(prepared, a, b, scale.coarse, evidenceScale));
    }
  }
  const assembly = assembleScans(prepared, candidates, scale.coarse, evidenceScale, ctx.part(0.65, 0.8, 'Assembling'));
  return finish(
    scans,
    prepared,
    assembly.poses,
    assembly.rivals,
    o.reference,
    scale,
    ctx.part(0.8, 1, 'Registering together'),
  );
}

/**
 * Refines scans that are already about in place, all together. Loose and excluded scans are left as they are.
 * @throws GeometryError `empty-input` if a cloud is too small
 */
export function refinePlacements(
  scans: Scan[],
  placements: Placement[],
  options: Partial<RegisterScansOptions>,
  ctx: RunContext,
): RegisterScansResult {
  const o = { ...REGISTER_SCANS_DEFAULTS, ...options };
  for (const s of scans) assertUsableCloud(s.cloud, s.name);
  const suggested = suggestScale(scans);
  const scale: RegistrationScale = { coarse: o.coarseCell || suggested.coarse, fine: o.fineCell || suggested.fine };
  const prepared = scans.map((s, i) =>
    prepareScan(
      s,
      scale,
      i + 1,
      ctx.part((0.4 * i) / scans.length, (0.4 * (i + 1)) / scans.length, 'Describing scans'),
    ),
  );
  const byName = new Map(placements.map((p) => [p.name, p]));
  const poses = scans.map((s) => {
    const p = byName.get(s.name);
    return p && (p.state === 'placed' || p.state === 'registered') ? p.pieceFromScan : undefined;
  });
  const result = finish(scans, prepared, poses, [], o.reference, scale, ctx.part(0.4, 1, 'Registering together'));
  for (const p of result.placements) {
    if (byName.get(p.name)?.state === 'excluded') Object.assign(p, byName.get(p.name));
  }
  return result;
}

function finish(
  scanData: Scan[],
  prepared: PreparedScan[],
  poses: (Mat4 | undefined)[],
  rivals: RivalPlacement[],
  referenceName: string,
  scale: RegistrationScale,
  ctx: RunContext,
): RegisterScansResult {
  const list = poses.flatMap((p, i) => (p ? [i] : []));
  const placements = prepared.map((s) => loosePlacement(s.name));
  if (list.length === 0) {
    return { placements, reference: '', residuals: [], rivals: [], rms: 0, worstRms: 0, converged: true };
  }
  const scans: RefinementScan[] = list.map((i) => ({
    cloud: prepared[i].fine,
    grid: prepared[i].fineGrid,
    sample: prepared[i].shuffle,
  }));
  const noise = medianNoise(list.map((i) => prepared[i]));
  const wanted = list.findIndex((i) => prepared[i].name === referenceName);
  const fixed = Math.max(0, wanted);
  const refined = refineJointly(
    scans,
    list.map((i) => poses[i]!),
    fixed,
    {
      startDistance: Math.max(0.7 * scale.coarse, 1.5 * scale.fine),
      endDistance: 1.5 * scale.fine,
      endTukey: Math.max(4.685 * noise, 0.15 * scale.fine),
    },
    ctx,
  );
  // The reference decides the piece's frame; everything else follows it.
  const pieceFromReference = uprightFrame(scanData[list[fixed]]);
  const pieceFromOld = multiply(pieceFromReference, invertRigid(refined.pieceFromScan[fixed]));
  list.forEach((i, k) => {
    placements[i].pieceFromScan = k === fixed ? pieceFromReference : multiply(pieceFromOld, refined.pieceFromScan[k]);
    placements[i].state = 'registered';
  });
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
    rivals: rivals.map((r) => ({ ...r, pieceFromScan: multiply(pieceFromOld, r.pieceFromScan) })),
    rms: weight > 0 ? Math.sqrt(sum / weight) : 0,
    worstRms,
    converged: refined.converged,
  };
}

function medianNoise(scans: PreparedScan[]): number {
  return scans.map((s) => s.noise).sort((a, b) => a - b)[scans.length >> 1];
}
