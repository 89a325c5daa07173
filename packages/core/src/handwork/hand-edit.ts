import { areDabs, type Dab } from '../geometry/dab.js';
import {
  areNumbers,
  faultOfEdits,
  isDirection,
  isFlag,
  isNumber,
  isPlace,
  type EditRules,
} from '../runtime/edit-rules.js';
import { GeometryError } from '../runtime/geometry-error.js';

export { MOST_DABS, type Dab } from '../geometry/dab.js';

/** Moves what lies under the brush and leaves the triangles as they are. */
export interface BrushEdit {
  kind: 'smooth' | 'push' | 'flatten';
  dabs: readonly Dab[];
  /** How much of the way a dab goes, 0–1; of a push how far the middle of the brush goes outwards, mm. */
  amount: number;
  /** Smoothing stops at edges: what turns away from the place under the brush stays. */
  keepEdges?: boolean;
  /** No measured vertex goes further than twice its expected error. */
  withinError?: boolean;
}

/** Takes the triangles under the brush away, or takes them away and lets the surface go on over the place. */
export interface EraseEdit {
  kind: 'erase' | 'refill';
  dabs: readonly Dab[];
}

/** Takes away, or replaces, what appears inside an outline drawn over a picture of the surface. */
export interface LassoEdit {
  kind: 'lasso';
  /** Places on the picture, x and y in turn, pixels; the last is joined to the first. */
  outline: readonly number[];
  /** The picture: projection times view, 16 numbers column by column, its size in pixels, and where the eye stands, mm. */
  clipFromView: readonly number[];
  size: readonly [number, number];
  eye: readonly [number, number, number];
  /** What lies behind goes too. */
  through: boolean;
  /** The surface goes on over the place. */
  refill: boolean;
}

/** Fills the hole whose rim comes nearest to a place. */
export interface FillEdit {
  kind: 'fill';
  at: readonly [number, number, number];
  shape: 'smooth' | 'flat';
}

/** A strip of surface from rim to rim. */
export interface BridgeEdit {
  kind: 'bridge';
  /** Near the rims, mm. */
  from: readonly [number, number, number];
  to: readonly [number, number, number];
  /** Wanted width, mm. */
  width: number;
}

/** Keeps what lies on the side of a plane that its normal points to. */
export interface CutEdit {
  kind: 'cut';
  at: readonly [number, number, number];
  normal: readonly [number, number, number];
  /** Closes what the cut opened with a flat face. */
  cap: boolean;
}

/** One thing done to a surface by hand. It names places, not triangles: it can be done again on a surface fused anew. */
export type HandEdit = BrushEdit | EraseEdit | LassoEdit | FillEdit | BridgeEdit | CutEdit;
export type HandEditKind = HandEdit['kind'];

export const HAND_EDIT_KINDS = [
  'smooth',
  'push',
  'flatten',
  'erase',
  'refill',
  'lasso',
  'fill',
  'bridge',
  'cut',
] as const;

/** Edits of one piece of work at most. */
export const MOST_EDITS = 2000;
/** Places of an outline at most. */
export const MOST_OUTLINE = 4000;
const WIDEST = 1e4;

export const isBrushEdit = (edit: HandEdit): edit is BrushEdit =>
  edit.kind === 'smooth' || edit.kind === 'push' || edit.kind === 'flatten';

const RULES: Record<HandEditKind, EditRules> = {
  smooth: { dabs: areDabs, amount: (v) => isNumber(v, 0, 1), keepEdges: isFlag, withinError: isFlag },
  flatten: { dabs: areDabs, amount: (v) => isNumber(v, 0, 1), withinError: isFlag },
  push: { dabs: areDabs, amount: (v) => isNumber(v, -WIDEST, WIDEST) },
  erase: { dabs: areDabs },
  refill: { dabs: areDabs },
  lasso: {
    outline: (v) => areNumbers(v, 6, 2 * MOST_OUTLINE, WIDEST) && (v as number[]).length % 2 === 0,
    clipFromView: (v) => areNumbers(v, 16, 16, 1e9),
    size: (v) => areNumbers(v, 2, 2, WIDEST) && (v as number[]).every((side) => side >= 1),
    eye: isPlace,
    through: (v) => typeof v === 'boolean',
    refill: (v) => typeof v === 'boolean',
  },
  fill: { at: isPlace, shape: (v) => v === 'smooth' || v === 'flat' },
  bridge: { from: isPlace, to: isPlace, width: (v) => isNumber(v, 0, WIDEST) },
  cut: { at: isPlace, normal: isDirection, cap: (v) => typeof v === 'boolean' },
};

/**
 * What is wrong with something that should be a list of edits, in words; undefined if nothing is. Lists come from files,
 * command lines and other people's browsers.
 */
export const faultOfHandEdits = (value: unknown): string | undefined => faultOfEdits(value, RULES, MOST_EDITS);

/** An edit that means nothing here, such as a bridge on a surface without rims. */
export const cannot = (why: string): GeometryError => new GeometryError('invalid-parameter', why);
