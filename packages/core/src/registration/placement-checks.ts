import type { PlacementUncertainty } from '../geometry/scan.js';
import { invertRigid, multiply, type Mat4 } from '../math/mat4.js';
import { evidenceQuality, judgePlacement, type EvidenceScale } from './evidence.js';
import { freedomsOf } from './freedom.js';
import type { PreparedScan } from './prepared-scan.js';

/** Points looked at for each pair. */
const SAMPLES = 1000;
/** Share of a scan's points that another looked through from which on the two contradict each other. */
const LOOKED_THROUGH = 0.02;
/** With so many others a scan must be at odds: right placements of simulated scans are with one at most. */
const LEAST_ODDS = 2;
/**
 * A scan is held if its surface could be off by less than this share of the fine cell, or than this share of what a single point
 * of it is off (one standard deviation): nothing that is made of noisy points gets better by holding them more exactly.
 */
const HELD = 0.06;
const HELD_IN_NOISE = 0.5;
/** Or, where flat faces hold and it is known by how much the edges beside them err together, than so many times that. */
const HELD_IN_EDGES = 4;

/**
 * Scans that stand where several others looked through: `odds[i]` lists with which. Blamed are first those at odds with the
 * most, their contradictions then taken away, so that one wrong scan does not discredit those that are right.
 * O(scans² · points).
 *
 * @param poses pieceFromScan, undefined for scans that take no part
 */
export function scansAtOdds(
  scans: readonly PreparedScan[],
  poses: readonly (Mat4 | undefined)[],
  fixed: number,
  scale: EvidenceScale,
): Map<number, number[]> {
  const odds = scans.map(() => new Set<number>());
  for (let i = 0; i < scans.length; i++) {
    for (let j = 0; j < i; j++) {
      const [at, other] = [poses[i], poses[j]];
      if (!at || !other) continue;
      const jFromI = multiply(invertRigid(other), at);
      const e = judgePlacement(scans[i], scans[j], jFromI, scale, SAMPLES);
      if (e.through < LOOKED_THROUGH * e.judged || evidenceQuality(e) > 0) continue;
      odds[i].add(j);
      odds[j].add(i);
    }
  }
  const blamed = new Map<number, number[]>();
  for (;;) {
    const worst = odds.reduce((w, o, i) => (i !== fixed && o.size > (w < 0 ? 0 : odds[w].size) ? i : w), -1);
    if (worst < 0 || odds[worst].size < LEAST_ODDS) return blamed;
    blamed.set(worst, [...odds[worst]]);
    for (const other of odds[worst]) odds[other].delete(worst);
    odds[worst].clear();
  }
}

/** Whether the others hold a scan well enough to call it registered, turns and slides alike. */
export function isHeld(uncertainty: PlacementUncertainty, { cell, noise }: EvidenceScale, edgesErr = 0): boolean {
  return freedomsOf(uncertainty)[0].sigma <= Math.max(HELD * cell, HELD_IN_NOISE * noise, HELD_IN_EDGES * edgesErr);
}
