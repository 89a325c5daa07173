import type { Placement } from '../geometry/scan.js';
import { multiply } from '../math/mat4.js';
import { GeometryError } from '../runtime/geometry-error.js';

/**
 * Decides a doubt: the scans that move together with `scan` go to the rival place with that number (0 = where they are,
 * 1 = the first rival), and are no longer in doubt. With an empty name all scans in doubt stay where they are.
 * @throws GeometryError `invalid-parameter` if the scan is not in doubt or has no such place
 */
export function chooseRival(placements: readonly Placement[], scan: string, place: number): Placement[] {
  const doubt = placements.find((p) => p.name === scan)?.doubt;
  if (scan !== '' && !doubt) {
    throw new GeometryError('invalid-parameter', `${scan} is not in doubt: there is nothing to choose.`);
  }
  const rival = doubt?.rivals[place - 1];
  if (place > 0 && !rival) {
    throw new GeometryError(
      'invalid-parameter',
      `${scan || 'The scans'} cannot go to place ${place}: it is not offered.`,
    );
  }
  return placements.map((p) => {
    if (!p.doubt || !(scan === '' || doubt!.scans.includes(p.name))) return p;
    const { doubt: _decided, ...rest } = p;
    const pieceFromScan = rival ? multiply(rival.pieceFromPiece, p.pieceFromScan) : p.pieceFromScan;
    return { ...rest, pieceFromScan, state: 'registered' };
  });
}
