import type { BakedKind, FailedKind, FailedPlace } from '@amber-knit/core/geometry';
import { lengthText } from '@amber-knit/operations/quantity-text';

/** What each map is called, and what it shows. */
export const MAP_WORDS: Record<BakedKind | 'color', readonly [title: string, help: string]> = {
  color: ['Colour', 'The colour of the whole surface.'],
  normal: [
    'Normals',
    'Which way the whole surface faces at each place of the light one: makes few triangles look like many.',
  ],
  'object-normal': ['Normals of the piece', 'The same, in the frame of the piece instead of the surface’s own.'],
  displacement: ['Height', 'How far the whole surface lies over or under the light one; grey in the middle is none.'],
  occlusion: ['Open to light', 'How much of an even light from everywhere reaches the place: dark in grooves.'],
  curvature: ['Curvature', 'Bright on ridges, dark in grooves.'],
  invented: ['Invented', 'White where no scan measured the surface.'],
  'expected-error': [
    'Expected error',
    'How far the surface is expected to lie off the true one: the brighter the farther.',
  ],
  failed: ['Detail lost', 'White where no detail was found, or only slantwise.'],
};

/** What went wrong at a place, and what helps. */
export const FAILED_WORDS: Record<FailedKind, readonly [title: string, help: string]> = {
  missed: ['Nothing in reach', 'The whole surface lies farther off than was looked: look farther.'],
  'wrong-side': ['Only the back', 'Only surface that faces away was in reach: look farther, or keep more triangles.'],
  slanted: ['Slantwise', 'Met so slantwise that detail is smeared: more triangles help.'],
};

/** What the ends of a map stand for. */
export function rangeText(kind: BakedKind | 'color', range: [number, number] | undefined): string | null {
  if (!range) return null;
  if (kind === 'curvature') return `${range[0].toPrecision(2)} to ${range[1].toPrecision(2)} per mm`;
  return `${lengthText(range[0])} to ${lengthText(range[1])}`;
}

/** A place in which detail is looked for so far on both sides, mm. */
export interface Reach {
  ball: [number, number, number, number];
  reach: number;
}

/** A place is looked at again so much farther. */
const FARTHER = 2;

/**
 * What to ask for so that a place is looked at farther: what was asked already, and this place twice as far as it was.
 * @param usual how far was looked everywhere else, mm
 */
export function fartherAt({ place, radius }: FailedPlace, asked: readonly Reach[], usual: number): Reach[] {
  const isIn = ({ ball: [x, y, z, r] }: Reach): boolean => Math.hypot(place[0] - x, place[1] - y, place[2] - z) <= r;
  const reach = FARTHER * Math.max(usual, ...asked.filter(isIn).map((a) => a.reach));
  return [...asked, { ball: [...place, radius + reach], reach }];
}
