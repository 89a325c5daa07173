import { boundsOf, diagonalOf, pointCount } from '../geometry/point-cloud.js';
import { sensorPositions, type Scan } from '../geometry/scan.js';
import { rotateVectors, transformPoint, transformPoints, type Mat4 } from '../math/mat4.js';
import { mapTask } from '../runtime/map-task.js';
import { createRunContext, type RunContext } from '../runtime/run-context.js';
import { findConsistentPlacements } from './consistent-placements.js';
import { matchKeypoints } from './correspondences.js';
import { evidenceQuality, evidenceScore, judgePlacement, type EvidenceScale } from './evidence.js';
import { fitSimilarity, isSameSimilarity, type Similarity } from './fit-similarity.js';
import { describeCoarsely, prepareScan, suggestScale } from './prepare-scan.js';
import type { PreparedScan, RegistrationScale } from './prepared-scan.js';

/** A size at which a scan fits the others, and where it then lies. */
export interface FoundScale {
  /** What all its lengths must be multiplied by. */
  factor: number;
  /** One standard deviation of the factor, as a share of it. */
  uncertainty: number;
  /** Where the scan lies once it has that size. */
  pieceFromScan: Mat4;
  /** Weighted root mean square distance to the others, mm. */
  rms: number;
  /** Share of what speaks for it that is not contradicted, at most 1. */
  quality: number;
  /** The next best size at which it could lie, and how much speaks for it, as a share of this one's. */
  rival?: { factor: number; share: number };
}

/** From one tried size to the next: features still know each other when sizes differ by half of it. */
const STEP = 1.12;
/** Sizes that are tried, as factors on the one at which both are as large. */
const FARTHEST = 4;
const CORRESPONDENCES = 700;
const SEEDS = 100;
/** Ways followed up at each size, and in the end. */
const FOLLOWED = 6;
const LOOKED_AT = 6;
/** A way that matches less than this share of what the best does is not looked at again. */
const WORTH_A_LOOK = 0.5;
/** Least points of a thinned scan that tell anything. */
const FEW = 60;
const JUDGED = 4000;

/**
 * Finds the size at which a scan without true scale fits scans that have their place: at each of a row of sizes its features
 * are compared, consistent sets are fitted with the size free, and the best are judged as any placement is, by what lies on
 * each other and by what the others looked through. A scan that shrinks fits everywhere, but shows little.
 * @param ground scans with true scale and their places; one is enough
 * @returns undefined if it fits at no size
 */
export async function findScale(
  scan: Scan,
  ground: readonly { scan: Scan; pieceFromScan: Mat4 }[],
  ctx: RunContext,
): Promise<FoundScale | undefined> {
  const piece = together(ground);
  const cells = suggestScale([piece]);
  const target = prepareScan(piece, cells, 1, ctx.part(0, 0.1, 'Describing the others'));
  const size = diagonalOf(boundsOf(piece.cloud.positions));
  const middle = size / diagonalOf(boundsOf(scan.cloud.positions));
  const steps = Math.round(Math.log(FARTHEST) / Math.log(STEP));
  const factors = Array.from({ length: 2 * steps + 1 }, (_, k) => middle * STEP ** (k - steps));
  // Depth images are not needed here and would be copied to every core.
  const shared: ScaleTask = { scan: { ...scan, viewpoints: sensorPositions(scan), frames: undefined }, target, cells };
  const tried = await mapTask('try-size', trySizeTask, shared, factors, ctx.part(0.1, 0.5, 'Trying sizes'));
  const ways = tried.flat().sort((a, b) => b.matched - a.matched);
  const distinct: Similarity[] = [];
  for (const way of ways) {
    if (distinct.length === LOOKED_AT || way.matched < WORTH_A_LOOK * ways[0].matched) break;
    if (!distinct.some((d) => isSameSimilarity(d, way, size))) distinct.push(way);
  }
  const close = ctx.part(0.5, 1, 'Judging sizes');
  const judged = (await mapTask('judge-size', judgeSizeTask, shared, distinct, close)).flatMap((w) => w ?? []);
  judged.sort((a, b) => b.score - a.score);
  const [best] = judged;
  if (!best) return undefined;
  const { score, ...found } = best;
  const rival = judged.find((w) => Math.abs(Math.log(w.factor / best.factor)) > 0.03);
  return { ...found, ...(rival ? { rival: { factor: rival.factor, share: rival.score / score } } : {}) };
}

/** What all looks at sizes share. */
export interface ScaleTask {
  scan: Scan;
  target: PreparedScan;
  cells: RegistrationScale;
}

/** One size tried, as a task for a pool. */
export function trySizeTask({ scan, target, cells }: ScaleTask, factor: number): (Similarity & { matched: number })[] {
  return waysAt(sized(scan, factor), factor, target, cells, createRunContext());
}

/** One way judged, as a task for a pool. */
export function judgeSizeTask({ scan, target, cells }: ScaleTask, way: Similarity): JudgedScale | undefined {
  return judgedWay(scan, way, target, cells, createRunContext());
}

/** A size with how much speaks for it. */
interface JudgedScale extends FoundScale {
  score: number;
}

/** Scans in their places as one. */
function together(ground: readonly { scan: Scan; pieceFromScan: Mat4 }[]): Scan {
  const total = ground.reduce((n, g) => n + pointCount(g.scan.cloud), 0);
  const positions = new Float32Array(3 * total);
  const hasNormals = ground.every((g) => g.scan.cloud.normals);
  const normals = hasNormals ? new Float32Array(3 * total) : undefined;
  let at = 0;
  for (const { scan, pieceFromScan } of ground) {
    positions.set(transformPoints(pieceFromScan, scan.cloud.positions), at);
    normals?.set(rotateVectors(pieceFromScan, scan.cloud.normals!), at);
    at += scan.cloud.positions.length;
  }
  const viewpoints = ground.flatMap(({ scan, pieceFromScan }) =>
    sensorPositions(scan).map((v) => transformPoint(pieceFromScan, ...v)),
  );
  return { name: 'the others', cloud: { positions, ...(normals ? { normals } : {}) }, viewpoints };
}

/** The scan with all lengths multiplied. */
function sized(scan: Scan, factor: number): Scan {
  const { normals } = scan.cloud;
  const viewpoints = sensorPositions(scan).map(([x, y, z]): [number, number, number] => [
    factor * x,
    factor * y,
    factor * z,
  ]);
  const positions = scan.cloud.positions.map((v) => factor * v);
  return { name: scan.name, cloud: { positions, ...(normals ? { normals } : {}) }, viewpoints };
}

/** Ways in which a scan of about the right size may lie on the others, their size fitted. */
function waysAt(
  scan: Scan,
  factor: number,
  target: PreparedScan,
  cells: RegistrationScale,
  ctx: RunContext,
): (Similarity & { matched: number })[] {
  const described = describeCoarsely(scan.cloud, sensorPositions(scan), cells.coarse, ctx);
  const { coarse } = described;
  if (pointCount(coarse) < FEW) return [];
  const pairs = matchKeypoints(described, target, CORRESPONDENCES);
  const all = Uint32Array.from({ length: pointCount(coarse) }, (_, i) => i);
  const reach = { maxDistance: 4 * cells.coarse, minDistance: 1.2 * cells.coarse, rounds: 12 };
  return findConsistentPlacements(coarse, target.coarse, pairs, 1.5 * cells.coarse, FOLLOWED, SEEDS).flatMap((h) => {
    const start = { pose: h.targetFromSource, scale: 1 };
    const fit = fitSimilarity(coarse, all, target.coarse, target.coarseGrid, start, reach);
    // What ran away to another size is found from there.
    if (!fit.wellPosed || Math.abs(Math.log(fit.scale)) > 1.5 * Math.log(STEP)) return [];
    return [{ pose: fit.pose, scale: factor * fit.scale, matched: fit.pairs }];
  });
}

/** A way fitted finely and judged; undefined if more speaks against it than for it. */
function judgedWay(
  scan: Scan,
  way: Similarity,
  target: PreparedScan,
  cells: RegistrationScale,
  ctx: RunContext,
): JudgedScale | undefined {
  let { pose, scale } = way;
  let fit: ReturnType<typeof fitSimilarity> | undefined;
  // Twice: normals and cells follow the size.
  for (const maxDistance of [4, 2]) {
    const prepared = prepareScan(sized(scan, scale), cells, 1, ctx.part(1, 1));
    const reach = { maxDistance: maxDistance * cells.fine, minDistance: 1.2 * cells.fine, rounds: 15 };
    const sample = prepared.shuffle.subarray(0, JUDGED);
    fit = fitSimilarity(prepared.fine, sample, target.fine, target.fineGrid, { pose, scale: 1 }, reach);
    if (!fit.wellPosed) return undefined;
    pose = fit.pose;
    scale *= fit.scale;
  }
  const right = prepareScan(sized(scan, scale), cells, 1, ctx.part(1, 1));
  const scaleOfTests: EvidenceScale = { cell: cells.fine, noise: Math.max(right.noise, target.noise) };
  const evidence = judgePlacement(right, target, pose, scaleOfTests, JUDGED);
  const score = evidenceScore(evidence);
  if (score <= 0) return undefined;
  return {
    factor: scale,
    uncertainty: fit!.scaleUncertainty,
    pieceFromScan: pose,
    rms: fit!.rms,
    quality: evidenceQuality(evidence),
    score,
  };
}
