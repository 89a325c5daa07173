import {
  Diff,
  DraftingCompass,
  Droplets,
  Layers2,
  MoveHorizontal,
  Pin,
  Ruler,
  Shapes,
  Spline,
  SquareSplitHorizontal,
  type LucideIcon,
} from 'lucide-react';
import type { Dimension, DimensionKind, MeasuredDimension } from '@amber-knit/core/dimensions';
import type { RegionKind } from '@amber-knit/core/fitting';
import { lengthText } from '@amber-knit/operations/quantity-text';

interface KindWords {
  kind: DimensionKind;
  title: string;
  Icon: LucideIcon;
  /** What to click, place by place. */
  hints: readonly string[];
  help: string;
}

/** What can be measured, in the words of the bench. */
export const KIND_WORDS: readonly KindWords[] = [
  {
    kind: 'distance',
    title: 'Distance',
    Icon: Ruler,
    hints: ['Click one end.', 'Click the other end.'],
    help: 'Straight from place to place.',
  },
  {
    kind: 'along',
    title: 'Along',
    Icon: Spline,
    hints: ['Click one end.', 'Click the other end.'],
    help: 'The shortest way along the surface, as a tape would lie.',
  },
  {
    kind: 'angle',
    title: 'Angle',
    Icon: DraftingCompass,
    hints: ['Click a place on one leg.', 'Click the corner.', 'Click a place on the other leg.'],
    help: 'The angle at the second of three places.',
  },
  {
    kind: 'shape',
    title: 'Shape',
    Icon: Shapes,
    hints: ['Click the shape: what belongs to it is found around that place.'],
    help: 'Fits a plane, ball, cylinder, cone or ring to the surface around a place, and tells its diameter and how far the surface lies off it.',
  },
  {
    kind: 'relation',
    title: 'Relation',
    Icon: Layers2,
    hints: ['Click the shape that is judged.', 'Click the datum: the shape that it is judged against.'],
    help: 'How one fitted shape lies to another: distance, angle, parallelism, perpendicularity, coaxiality (ISO 1101).',
  },
  {
    kind: 'wall',
    title: 'Wall',
    Icon: MoveHorizontal,
    hints: ['Click the wall.'],
    help: 'Thickness of the wall: the largest ball that fits in, and straight through.',
  },
  {
    kind: 'section',
    title: 'Section',
    Icon: SquareSplitHorizontal,
    hints: ['Click a place that the section goes through.'],
    help: 'Outline and area of a section, to be taken along as a drawing in true scale.',
  },
  {
    kind: 'holds',
    title: 'Holds',
    Icon: Droplets,
    hints: [],
    help: 'What the piece holds when it stands as it does now, up to its lowest rim or a level.',
  },
  {
    kind: 'off',
    title: 'Off',
    Icon: Diff,
    hints: ['Click the place to read off.'],
    help: 'How far a place lies off the reference that the piece was compared with: + outside of it, − inside.',
  },
  {
    kind: 'note',
    title: 'Note',
    Icon: Pin,
    hints: ['Click the place that the note is about, then write it in the list.'],
    help: 'A note pinned to a place, with its coordinates.',
  },
];

export const wordsOf = (kind: DimensionKind): KindWords => KIND_WORDS.find((w) => w.kind === kind)!;

/** Shapes to seek, in words. */
export const SHAPE_WORDS: Record<RegionKind | 'any', string> = {
  any: 'Whatever fits',
  plane: 'Plane',
  sphere: 'Ball',
  cylinder: 'Cylinder',
  cone: 'Cone',
  torus: 'Ring',
};

/** A name that no other dimension has: Wall 1, Wall 2 … */
export function freshName(kind: DimensionKind, others: readonly Dimension[]): string {
  const { title } = wordsOf(kind);
  for (let n = 1; ; n++) if (!others.some((o) => o.name === `${title} ${n}`)) return `${title} ${n}`;
}

/** Places that lie off by less have not moved as far as anybody would mind: a share of a millimetre. */
const NOT_MOVED = 0.02;

/** What to be careful about, in words; none where all is well. */
export function cautions({ moved, inventedRatio, fault }: MeasuredDimension): string[] {
  if (fault) return [fault];
  return [
    ...(inventedRatio > 0 ? ['rests on surface that no scan measured'] : []),
    ...(moved > NOT_MOVED ? [`the surface lies ${lengthText(moved)} off where it was picked`] : []),
  ];
}
