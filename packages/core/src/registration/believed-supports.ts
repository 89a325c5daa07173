import type { Scan } from '../geometry/scan.js';
import { listed } from '../runtime/listed.js';
import type { RunContext } from '../runtime/run-context.js';
import { evidenceQuality, evidenceScore, pointsOffSupport, withoutMarks } from './evidence.js';
import type { PairCandidate } from './pair-candidates.js';
import type { PreparedScan } from './prepared-scan.js';
import { keepsSupport, supportOf, type Support } from './shared-support.js';

/**
 * Gives the scans the supports that they share with others of their setup, and the candidates what these say, the best
 * first again. Notes scans that do not lie as the others of their setup. In place.
 */
export function believeSupports(
  scans: readonly Scan[],
  prepared: readonly PreparedScan[],
  found: readonly PairCandidate[][],
  ctx: RunContext,
): void {
  const supports = scans.map(supportOf);
  const left = leaveOutUnbelieved(supports, found).map((i) => scans[i].name);
  if (left.length > 0) {
    const [does, its, it] =
      left.length > 1
        ? ['do', 'their setups', 'them setups of their own']
        : ['does', 'its setup', 'it a setup of its own'];
    ctx.note(`${listed(left)} ${does} not lie as others of ${its} do. If the object was moved, give ${it}.`);
  }
  supports.forEach((support, i) => (prepared[i].support = support));
  for (const pair of found) {
    for (const c of pair) {
      c.evidence.offSupport = pointsOffSupport(prepared[c.a], prepared[c.b], c.bFromA);
      c.score = evidenceScore(c.evidence);
    }
    pair.sort((x, y) => y.score - x.score);
  }
}

/** Candidates of this quality are taken to show where two scans belong. */
const CONVINCING = 0.6;
/** Of a scan's pairs with such candidates so many must have one that keeps the support. */
const BELIEVED = 0.75;

/**
 * Leaves out the supports of scans that do not stand as the others of their setup do: somebody forgot to begin a new one
 * when the object was turned over, or all files came in under one name. Where the support is right, nearly all pairs that
 * fit somewhere convincingly fit somewhere that keeps it. The scan that disagrees with most is left out first, then the
 * rest is looked at again. O(candidates + scans²).
 * @returns numbers of the scans that were left out
 */
export function leaveOutUnbelieved(supports: (Support | undefined)[], found: readonly PairCandidate[][]): number[] {
  const votes = found.flatMap((candidates) => {
    const telling = candidates.filter((c) => evidenceQuality(withoutMarks(c.evidence)) >= CONVINCING);
    if (telling.length === 0) return [];
    const { a, b } = telling[0];
    if (!supports[a] || !supports[b] || supports[a].setup !== supports[b].setup) return [];
    return [{ a, b, keeps: telling.some((c) => keepsSupport(supports[a], supports[b], c.bFromA)) }];
  });
  const out: number[] = [];
  for (;;) {
    const standing = votes.filter(({ a, b }) => supports[a] && supports[b]);
    const share = (i: number): number => {
      const own = standing.filter(({ a, b }) => a === i || b === i);
      return own.length === 0 ? 1 : own.filter((v) => v.keeps).length / own.length;
    };
    const shares = supports.map((s, i) => (s ? share(i) : 1));
    const least = Math.min(...shares);
    if (least >= BELIEVED) return out;
    const worst = shares.indexOf(least);
    supports[worst] = undefined;
    out.push(worst);
  }
}
