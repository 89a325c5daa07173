import { boundsOf, diagonalOf } from '../geometry/point-cloud.js';
import { symmetricEigen } from '../math/eigen.js';
import { invertRigid, multiply, type Mat4 } from '../math/mat4.js';
import type { RunContext } from '../runtime/run-context.js';
import { addEvidence, judgePlacement, noEvidence, paintCorrelation, type EvidenceScale } from './evidence.js';
import { twistAbout } from './icp.js';
import { vertexOf } from './parabola.js';
import { accumulatePointToPlane, createPairSystem } from './point-to-plane.js';
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
 * Moves every scan along the one motion that the shape holds least, as the turn of a round body, to where its paint agrees
 * best with the scans it lies on; scans held well stay. Poses are changed in place.
 * O(scans² · points + weak scans · scans · points).
 *
 * Source: the weakest motion as the eigenvector of the smallest eigenvalue of the point-to-plane information, N. Gelfand
 * et al. (2003), Geometrically stable sampling for the ICP algorithm.
 *
 * @param poses pieceFromScan, undefined for scans that take no part
 */
export function polishByPaint(
  scans: readonly PreparedScan[],
  poses: (Mat4 | undefined)[],
  fixed: number,
  scale: EvidenceScale,
  ctx: RunContext,
): void {
  scans.forEach((scan, i) => {
    ctx.checkpoint(i / scans.length);
    if (i === fixed || !poses[i] || !scan.paint) return;
    const weak = weakestMotion(scans, poses, i, scale);
    if (!weak) return;
    for (let round = 0; round < ROUNDS; round++) {
      const at = (t: number): Mat4 =>
        multiply(
          poses[i]!,
          twistAbout(
            weak.twist.map((v) => v * t),
            0,
            weak.centre,
          ),
        );
      const points = OFFSETS.map((offset): [number, number] => {
        const total = noEvidence();
        for (const j of weak.neighbours) {
          const jFromI = multiply(invertRigid(poses[j]!), at(offset * scale.cell));
          addEvidence(total, judgePlacement(scan, scans[j], jFromI, scale, PAINT_SAMPLES));
        }
        return [offset, paintCorrelation(total)];
      });
      if (Math.max(...points.map(([, v]) => v)) < TELLING) return;
      poses[i] = at(vertexOf(points) * scale.cell);
    }
  });
}

/** The least held motion of a scan in its own frame, scaled to move its surface by about a mm; undefined if all are held. */
function weakestMotion(
  scans: readonly PreparedScan[],
  poses: readonly (Mat4 | undefined)[],
  i: number,
  scale: EvidenceScale,
): { twist: number[]; centre: number[]; neighbours: number[] } | undefined {
  const own = scans[i];
  const b = boundsOf(own.fine.positions);
  const centre = [0, 1, 2].map((k) => (b.min[k] + b.max[k]) / 2);
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
  if (values[0] > WEAK * mean) return undefined;
  const twist = Array.from({ length: 6 }, (_, k) => vectors[k] / length(k));
  return { twist, centre, neighbours };
}
