import type { Section } from '../app/view-slice';

/** A section as a slab: points p with from ≤ normal · p ≤ to, mm. */
export interface SectionSlab {
  normal: [number, number, number];
  from: number;
  to: number;
}

/** @param extent what is shown along the section's axis, from and to, mm */
export function slabOf({ axis, at, thickness }: Section, [low, high]: readonly [number, number]): SectionSlab {
  const middle = low + at * (high - low);
  const normal: [number, number, number] = [Number(axis === 'x'), Number(axis === 'y'), Number(axis === 'z')];
  return { normal, from: middle - thickness / 2, to: middle + thickness / 2 };
}
