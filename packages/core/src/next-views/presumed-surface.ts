import { PRESUMED_EMPTY, SURFACE, UNSEEN, type SightGrid } from './sight-grid.js';

const SWEEPS = 60;
/** Over-relaxation. */
const OMEGA = 1.7;

/**
 * How likely each cell is solid: most of unseen space is as empty as what was looked through, and only what lies behind
 * measured surface is surely solid. Between the two a harmonic function is laid, 1 just behind the surface and 0 where it is
 * empty.
 *
 * Source: J. Davis, S. Marschner, M. Garr, M. Levoy (2002), Filling holes in complex surfaces using volumetric diffusion
 * (there of a signed distance); successive over-relaxation after D. Young (1954). O(cells · sweeps).
 */
export function solidityOf({ size, state, behind }: SightGrid): Float32Array {
  const [nx, ny, nz] = size;
  const nxy = nx * ny;
  const solid = new Float32Array(state.length);
  const free: number[] = [];
  for (let at = 0; at < state.length; at++) {
    if (state[at] === SURFACE || state[at] === UNSEEN) solid[at] = 1;
    if (state[at] === UNSEEN && !behind[at]) free.push(at);
  }
  for (let sweep = 0; sweep < SWEEPS; sweep++) {
    for (const at of free) {
      const x = at % nx;
      const y = Math.floor(at / nx) % ny;
      const z = Math.floor(at / nxy);
      const sum =
        (x > 0 ? solid[at - 1] : 0) +
        (x < nx - 1 ? solid[at + 1] : 0) +
        (y > 0 ? solid[at - nx] : 0) +
        (y < ny - 1 ? solid[at + nx] : 0) +
        (z > 0 ? solid[at - nxy] : 0) +
        (z < nz - 1 ? solid[at + nxy] : 0);
      solid[at] += OMEGA * (sum / 6 - solid[at]);
    }
  }
  return solid;
}

/** One guess where in unseen space the surface runs on: cells that are less likely solid than `level` are presumed empty. */
export function presumeSurface(grid: SightGrid, solid: Float32Array, level: number): SightGrid {
  const state = grid.state.map((s, at) => (s === UNSEEN && solid[at] < level ? PRESUMED_EMPTY : s));
  return { ...grid, state };
}
