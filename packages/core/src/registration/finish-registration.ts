import {
  loosePlacement,
  type DoubtReason,
  type Placement,
  type PlacementAgreement,
  type PlacementDoubt,
  type Scan,
} from '../geometry/scan.js';
import { invertRigid, multiply, type Mat4 } from '../math/mat4.js';
import type { RunContext } from '../runtime/run-context.js';
import { describeDoubt, type CompetingPlacements } from './competing-placements.js';
import {
  addEvidence,
  agreementFrom,
  evidenceQuality,
  judgePlacement,
  noEvidence,
  type EvidenceScale,
} from './evidence.js';
import { REFINE_JOINTLY_DEFAULTS, refineJointly, type PairResidual, type RefinementScan } from './joint-refinement.js';
import { polishByPaint } from './paint-polish.js';
import { isHeld, scansAtOdds } from './placement-checks.js';
import { placementUncertainty } from './placement-uncertainty.js';
import type { PreparedScan, RegistrationScale } from './prepared-scan.js';
import { uprightFrame } from './upright-frame.js';

export interface RegisterScansResult {
  placements: Placement[];
  reference: string;
  /** The scan that the others hold best: all uncertainties are relative to it. */
  anchor: string;
  residuals: PairResidual[];
  /** Sets of scans that may not sit where they are; they are *placed*, not *registered*. */
  doubts: PlacementDoubt[];
  /** Weighted root mean square over all pairs, mm. */
  rms: number;
  worstRms: number;
  converged: boolean;
  /** Largest movement of a scan in each iteration of the last fit, mm. */
  convergence: number[];
}

/** Share of its overlap from which on a scan stands and falls with those in doubt. */
const MOSTLY = 0.5;

/**
 * The last part of every registration: fits all placed scans together, lets the paint turn what the shape leaves free,
 * brings them into the piece's frame, and says of each how well it is held, on which others it lies, and whether it is
 * registered or in doubt. Locked scans keep their places to the last digit, and with them the piece's frame.
 *
 * @param locked pieceFromScan of the scans that stay where they are, by their number
 */
export function finishRegistration(
  scanData: Scan[],
  prepared: PreparedScan[],
  { poses, blocks, rivals }: CompetingPlacements,
  referenceName: string,
  locked: ReadonlyMap<number, Mat4>,
  scale: RegistrationScale,
  ctx: RunContext,
): RegisterScansResult {
  const list = poses.flatMap((p, i) => (p ? [i] : []));
  const placements = prepared.map((s) => loosePlacement(s.name));
  if (list.length === 0) {
    const nothing = { rms: 0, worstRms: 0, converged: true, convergence: [] };
    return { placements, reference: '', anchor: '', residuals: [], doubts: [], ...nothing };
  }
  // What is true of some of the scans is true of their neighbours, whose own faces may be too small to be told.
  const edges = medianOf(list.flatMap((i) => prepared[i].edgesErr ?? []));
  const scans: RefinementScan[] = list.map((i) => ({
    cloud: prepared[i].fine,
    grid: prepared[i].fineGrid,
    sample: prepared[i].fitOrder,
    trust: prepared[i].trust,
    onFace: prepared[i].onFace,
    edgesErr: prepared[i].edgesErr ?? edges,
  }));
  const noise = medianNoise(list.map((i) => prepared[i]));
  const evidenceScale = { cell: scale.fine, noise };
  const fixed = list.flatMap((i, k) => (locked.has(i) ? [k] : []));
  if (fixed.length === 0) {
    const wanted = list.findIndex((i) => prepared[i].name === referenceName);
    fixed.push(wanted >= 0 ? wanted : Math.max(0, list.indexOf(blocks[0]?.[0] ?? -1)));
  }
  const reference = list[fixed[0]];
  const endDistance = 1.5 * scale.fine;
  // The residual at which a pair loses all weight: 95 % efficient on normal noise (Beaton, Tukey 1974).
  const endTukey = Math.max(4.685 * noise, 0.15 * scale.fine);
  const refined = refineJointly(
    scans,
    list.map((i) => poses[i]!),
    fixed,
    {
      startDistance: Math.max(0.7 * scale.coarse, endDistance),
      endDistance,
      endTukey,
      // What the shape leaves free, as the turn of a round body, stays where paint and features have put it.
      hold: 1e-4,
    },
    ctx,
  );
  const moved = prepared.map((_, i): Mat4 | undefined => refined.pieceFromScan[list.indexOf(i)]);
  const known = polishByPaint(
    prepared,
    moved,
    fixed.map((k) => list[k]),
    evidenceScale,
    ctx.part(1, 1),
  );
  // The reference decides the piece's frame; everything else follows it.
  const pieceFromReference = locked.get(reference) ?? uprightFrame(scanData[reference]);
  const pieceFromOld = multiply(pieceFromReference, invertRigid(moved[reference]!));
  for (const i of list) {
    const stays = i === reference ? pieceFromReference : locked.get(i);
    placements[i].pieceFromScan = stays ?? multiply(pieceFromOld, moved[i]!);
    placements[i].state = 'registered';
    if (locked.has(i)) placements[i].locked = true;
  }
  const residuals = refined.residuals.map((r) => ({ ...r, a: list[r.a], b: list[r.b] }));
  nameNeighbours(placements, residuals);
  const { anchor, uncertainty } = placementUncertainty(
    scans,
    list.map((i) => placements[i].pieceFromScan),
    refined.residuals.map((r) => [r.a, r.b] as const),
    { maxDistance: endDistance, tukey: endTukey, samples: REFINE_JOINTLY_DEFAULTS.samples },
    known.map((k) => ({ ...k, scan: list.indexOf(k.scan) })),
  );
  list.forEach((i, k) => {
    if (list.length > 1) placements[i].uncertainty = uncertainty[k];
  });
  const place = (m: Mat4): Mat4 => multiply(multiply(pieceFromOld, m), invertRigid(pieceFromOld));
  const doubts = [...new Set(rivals.map((r) => r.scans))].map((own) =>
    describeDoubt(
      prepared,
      rivals.filter((r) => r.scans === own),
      place,
    ),
  );
  const rivalled = doubts.flatMap((d) => d.scans);
  doubts.push(...selfChecks(prepared, placements, list[anchor], rivalled, evidenceScale));
  const held = [list[anchor], ...(blocks[0] ?? [])];
  doubts.push(...companions(prepared, placements, held, doubts, evidenceScale));
  for (const doubt of doubts) {
    for (const p of placements) if (doubt.scans.includes(p.name)) Object.assign(p, { state: 'placed', doubt });
  }
  return {
    placements,
    reference: prepared[reference].name,
    anchor: prepared[list[anchor]].name,
    residuals,
    doubts,
    rms: rmsOver(residuals),
    worstRms: residuals.reduce((worst, r) => Math.max(worst, r.rms), 0),
    converged: refined.converged,
    convergence: refined.moved,
  };
}

/** Writes to every placement on which others it lies, and its own residual. */
function nameNeighbours(placements: Placement[], residuals: readonly PairResidual[]): void {
  for (const { a, b, overlapRatio, rms } of residuals) {
    (placements[a].neighbours ??= []).push({ name: placements[b].name, overlapRatio, rms });
    (placements[b].neighbours ??= []).push({ name: placements[a].name, overlapRatio, rms });
  }
  for (const p of placements) if (p.neighbours?.length) p.residual = rmsOver(p.neighbours);
}

/** Root mean square over pairs, each by its overlap; 0 without any. */
function rmsOver(pairs: readonly { overlapRatio: number; rms: number }[]): number {
  const weight = pairs.reduce((s, r) => s + r.overlapRatio, 0);
  return weight > 0 ? Math.sqrt(pairs.reduce((s, r) => s + r.overlapRatio * r.rms * r.rms, 0) / weight) : 0;
}

/** Doubts over single scans, those already in doubt excepted: others look through them, or nothing holds them. */
function selfChecks(
  prepared: PreparedScan[],
  placements: readonly Placement[],
  fixed: number,
  known: readonly string[],
  scale: EvidenceScale,
): PlacementDoubt[] {
  const poses = placements.map((p) => (p.state === 'registered' ? p.pieceFromScan : undefined));
  const odds = scansAtOdds(prepared, poses, fixed, scale);
  // Of noisy flat parts more cannot be known than what their edges err together; others are held, or they are not.
  const flat = 2 * prepared.filter((s) => s.onFace).length >= prepared.length;
  const edges = flat ? medianOf(prepared.flatMap((s) => s.edgesErr ?? [])) : 0;
  return prepared.flatMap((scan, i): PlacementDoubt[] => {
    const { uncertainty } = placements[i];
    if (!uncertainty || known.includes(scan.name)) return [];
    const reason = odds.has(i) ? 'seen-through' : isHeld(uncertainty, scale, edges) ? undefined : 'loosely';
    return reason ? doubtOver(scan, reason, prepared, placements, scale) : [];
  });
}

/**
 * Doubts over scans that lie mostly on scans in doubt: should those go elsewhere, these hang in the air. The scans that
 * were `held` while the others were looked at are not among them.
 */
function companions(
  prepared: PreparedScan[],
  placements: readonly Placement[],
  held: readonly number[],
  doubts: readonly PlacementDoubt[],
  scale: EvidenceScale,
): PlacementDoubt[] {
  const doubtful = new Set(doubts.filter((d) => d.rivals.length > 0).flatMap((d) => d.scans));
  const known = new Set(doubts.flatMap((d) => d.scans));
  const out: PlacementDoubt[] = [];
  for (let more = true; more;) {
    more = false;
    prepared.forEach((scan, i) => {
      if (held.includes(i) || known.has(scan.name)) return;
      const neighbours = placements[i].neighbours ?? [];
      const share = (of: typeof neighbours): number => of.reduce((s, n) => s + n.overlapRatio, 0);
      if (share(neighbours.filter((n) => doubtful.has(n.name))) <= MOSTLY * share(neighbours)) return;
      const doubt = doubtOver(scan, 'on-doubtful', prepared, placements, scale);
      if (doubt.length === 0) return;
      out.push(...doubt);
      doubtful.add(scan.name);
      known.add(scan.name);
      more = true;
    });
  }
  return out;
}

function doubtOver(
  scan: PreparedScan,
  reason: DoubtReason,
  prepared: PreparedScan[],
  placements: readonly Placement[],
  scale: EvidenceScale,
): PlacementDoubt[] {
  const agreement = agreementOf(prepared, placements, scan.name, scale);
  if (!agreement) return [];
  const { quality: _quality, ...chosen } = agreement;
  return [{ reason, scans: [scan.name], chosen, rivals: [] }];
}

/** How a placed scan agrees with all others that have a place. */
export function agreementOf(
  prepared: PreparedScan[],
  placements: readonly Placement[],
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

export const medianNoise = (scans: readonly PreparedScan[]): number => medianOf(scans.map((s) => s.noise))!;

/** Undefined of nothing. */
const medianOf = (values: readonly number[]): number | undefined =>
  [...values].sort((a, b) => a - b)[values.length >> 1];
