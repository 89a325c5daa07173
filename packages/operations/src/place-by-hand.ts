import { loosePlacement, type Placement, type Scan } from '@amber-knit/core/geometry';
import { identity, type Mat4 } from '@amber-knit/core/math';
import { GeometryError, type RunContext } from '@amber-knit/core/runtime';
import type { OperationResult } from './operation.js';
import { noteDoubts, type REGISTRATION_FIGURES, registrationFigures } from './register-automatic.js';

/** Overlap with the others, as a share of its points, below which a scan is not called registered. */
const LEAST_OVERLAP = 0.05;

/** Has a scan a place. */
export const stays = (p: Placement): boolean => p.state === 'registered' || p.state === 'placed';

/**
 * Placements of all scans before one is placed by hand. If none of the others has a place yet and it is placed onto
 * a single one, that becomes the reference.
 * @throws GeometryError `invalid-parameter` if the moving scan is locked
 */
export function withGround(scans: Scan[], placements: Placement[], moving: string, onto: string[]): Placement[] {
  const all = scans.map((s) => placements.find((p) => p.name === s.name) ?? loosePlacement(s.name));
  if (all.some((p) => p.name === moving && p.locked))
    throw new GeometryError('invalid-parameter', `${moving} is locked. Unlock it in the list of strands to move it.`);
  if (onto.length !== 1 || all.some((p) => stays(p) && p.name !== moving)) return all;
  return all.map((p) => (p.name === onto[0] ? { ...p, state: 'registered', pieceFromScan: identity() } : p));
}

/** Puts a scan where a hand has placed it, and if wished fits all placed scans together from there. */
export async function finishByHand(
  scans: Scan[],
  before: Placement[],
  hand: { name: string; pieceFromScan: Mat4; rms: number },
  refine: boolean,
  ctx: RunContext,
): Promise<OperationResult<'placements', typeof REGISTRATION_FIGURES>> {
  const { refinePlacements } = await import('@amber-knit/core/registration');
  const { name, pieceFromScan, rms } = hand;
  const placed: Placement = { name, state: 'placed', pieceFromScan };
  const roughly = before.map((p) => (p.name === name ? placed : p));
  if (!refine) {
    const counts = { placements: roughly, reference: '', residuals: [], doubts: [], rms, worstRms: rms };
    return {
      outputs: { placements: roughly },
      figures: registrationFigures({ ...counts, converged: true, convergence: [] }),
    };
  }
  const reference = before.find((p) => p.state === 'registered' && p.name !== name)?.name ?? '';
  const result = await refinePlacements(scans, roughly, { reference }, ctx);
  const agreement = result.agreementOf(name);
  const found = result.placements.find((p) => p.name === name)!;
  if (agreement && (agreement.overlap < LEAST_OVERLAP || agreement.quality <= 0)) {
    found.state = 'placed';
    const percent = (v: number): string => `${(100 * v).toFixed(1)} %`;
    ctx.note(
      `${name} lies on the others with ${percent(agreement.overlap)} of its points and contradicts them with ` +
        `${percent(agreement.contradicted)}: it stays placed, not registered. Check where it was put.`,
    );
  } else {
    noteDoubts(
      result.doubts.filter((d) => d.scans.includes(name)),
      ctx,
    );
  }
  return { outputs: { placements: result.placements }, figures: registrationFigures(result) };
}
