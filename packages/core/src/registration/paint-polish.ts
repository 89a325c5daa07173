import { diagonalOf } from '../geometry/point-cloud.js';
import { boxOf } from './cloud-measures.js';
import { symmetricEigen } from '../math/eigen.js';
import { invertRigid, multiply, type Mat4, type Vec3 } from '../math/mat4.js';
import type { RunContext } from '../runtime/run-context.js';
import { addEvidence, judgePlacement, noEvidence, paintCorrelation, type EvidenceScale } from './evidence.js';
import { twistAbout } from './icp.js';
import { vertexOf } from './parabola.js';
import { accumulatePointToPlane, createPairSystem } from './point-to-plane.js';
import type { KnownMotion } from './placement-uncertainty.js';
import type { PreparedScan } from './prepared-scan.js';

/** A motion is weakly held if the shape says less of it than this share of what it says of motions on average. */
const WEAK = 0.01;
/** Places tried to either side, in cells, and how often. */
const OFFSETS = [-0.9, -0.6, -0.3, 0, 0.3, 0.6, 0.9];
const ROUNDS = 2;
/** Correlation from which on the paint is followed. */
const TELLING = 0.3;
const INFORMATION_SAMPLES = 1500;
const PAINT_SAMPLES = 4000;
/** Scans lie on each other if so many of the points tried have partners. */
const LEAST_PAIRS = 40;

/**
 * Moves every scan along the motions that the shape holds least, as the turn of a round body or the slides of a flat one, to
 * where its paint agrees best with the scans it lies on; scans held well stay. Where the shape holds, the paint has no say:
 * glare and shadow would only spoil the fit. Poses are changed in place.
 * O(scans² · points + weak scans · scans · points).
 *
 * Source: the weak motions as the eigenvectors of small eigenvalues of the point-to-plane information, N. Gelfand et al.
 * (2003), Geometrically stable sampling for the ICP algorithm.
 *
 * @param poses pieceFromScan, undefined for scans that take no part
 * @param fixed scans that stay where they are
 * @returns the motions that the paint holds now, and how well
 */
export function polishByPaint(
  scans: readonly PreparedScan[],
  poses: (Mat4 | undefined)[],
  fixed: readonly number[],
  scale: EvidenceScale,
  ctx: RunContext,
): KnownMotion[] {
  const known: KnownMotion[] = [];
  scans.forEach((scan, i) => {
    ctx.checkpoint(i / scans.length);
    if (fixed.includes(i) || !poses[i] || !scan.paint) return;
    const weak = weakMotions(scans, poses, i, scale);
    if (!weak) return;
    const { centre, neighbours } = weak;
    const sigmas = weak.twists.map(() => Infinity);
    for (let round = 0; round < ROUNDS; round++) {
      for (const [k, twist] of weak.twists.entries()) {
        const found = bestAlong(scans, poses, i, neighbours, twist, centre, scale);
        if (!found) continue;
        poses[i] = found.pose;
        sigmas[k] = found.sigma;
      }
    }
    weak.twists.forEach((twist, k) => {
      if (sigmas[k] < Infinity) known.push({ scan: i, twist, centre, sigma: sigmas[k] });
    });
  });
  return known;
}

/** Where along a motion the paint of a scan agrees best; undefined if it agrees nowhere to speak of. */
function bestAlong(
  scans: readonly PreparedScan[],
  poses: readonly (Mat4 | undefined)[],
  i: number,
  neighbours: readonly number[],
  twist: readonly number[],
  centre: Vec3,
  scale: EvidenceScale,
): { pose: Mat4; sigma: number } | undefined {
  const at = (t: number): Mat4 =>
    multiply(
      poses[i]!,
      twistAbout(
        twist.map((v) => v * t),
        0,
        centre,
      ),
    );
  let grains = 0;
  const points = OFFSETS.map((offset): [number, number] => {
    const total = noEvidence();
    for (const j of neighbours) {
      const jFromI = multiply(invertRigid(poses[j]!), at(offset * scale.cell));
      addEvidence(total, judgePlacement(scans[i], scans[j], jFromI, scale, PAINT_SAMPLES));
    }
    grains = Math.max(grains, total.grains);
    return [offset, paintCorrelation(total)];
  });
  if (Math.max(...points.map(([, v]) => v)) < TELLING) return undefined;
  const sigma = scale.cell * peakUncertainty(points, grains / INDEPENDENT);
  return { pose: at(vertexOf(points) * scale.cell), sigma };
}

/** One in so many thinned points is independent of its neighbours; found on simulated scans. */
const INDEPENDENT = 2;

/**
 * How well the place of a correlation's peak is known, in the offsets' unit: the Cramér–Rao bound of `samples` pairs of
 * normal values whose correlation falls off as it does beside its highest point.
 */
function peakUncertainty(points: readonly [offset: number, correlation: number][], samples: number): number {
  let top = 0;
  points.forEach(([, v], k) => (top = v > points[top][1] ? k : top));
  const k = Math.min(points.length - 2, Math.max(1, top));
  const step = points[k + 1][0] - points[k][0];
  const bend = (2 * points[k][1] - points[k - 1][1] - points[k + 1][1]) / (step * step);
  const r = points[k][1];
  const information = (samples * r * bend) / (1 - r * r);
  return information > 0 ? Math.max(0.02, 1 / Math.sqrt(information)) : Infinity;
}

/** The weakly held motions of a scan in its own frame, scaled to move its surface by about a mm, the weakest first. */
function weakMotions(
  scans: readonly PreparedScan[],
  poses: readonly (Mat4 | undefined)[],
  i: number,
  scale: EvidenceScale,
): { twists: number[][]; centre: Vec3; neighbours: number[] } | undefined {
  const own = scans[i];
  const b = boxOf(own.fine);
  const centre: Vec3 = [(b.min[0] + b.max[0]) / 2, (b.min[1] + b.max[1]) / 2, (b.min[2] + b.max[2]) / 2];
  const radius = diagonalOf(b) / 4;
  const sum = new Float64Array(36);
  const system = createPairSystem();
  const neighbours: number[] = [];
  scans.forEach((other, j) => {
    if (j === i || !poses[j]) return;
    const iFromJ = multiply(invertRigid(poses[i]!), poses[j]!);
    const o = {
      maxDistance: 1.5 * scale.cell,
      tukey: Math.max(5 * scale.noise, 0.5 * scale.cell),
      minNormalCosine: 0.8,
    };
    const { fine, shuffle } = other;
    accumulatePointToPlane(fine, shuffle, INFORMATION_SAMPLES, own.fine, own.fineGrid, iFromJ, centre, o, system);
    if (system.pairs < LEAST_PAIRS) return;
    neighbours.push(j);
    for (let k = 0; k < 36; k++) sum[k] += system.information[k];
  });
  if (neighbours.length === 0) return undefined;
  // Turns in mm at the scan's own size, so that they compare with shifts.
  const length = (k: number): number => (k < 3 ? radius : 1);
  const scaled = sum.map((v, k) => v / (length(Math.floor(k / 6)) * length(k % 6)));
  const { values, vectors } = symmetricEigen(scaled, 6);
  const mean = values.reduce((s, v) => s + v / 6, 0);
  const twists: number[][] = [];
  for (let v = 0; v < 6 && values[v] <= WEAK * mean; v++)
    twists.push(Array.from({ length: 6 }, (_, k) => vectors[6 * v + k] / length(k)));
  return twists.length > 0 ? { twists, centre, neighbours } : undefined;
}
