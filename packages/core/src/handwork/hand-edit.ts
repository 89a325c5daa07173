import { GeometryError } from '../runtime/geometry-error.js';

/** One dab of a brush: its middle, mm, its radius, mm, and how hard a pen presses, 0–1 (a mouse: 1). */
export type Dab = readonly [x: number, y: number, z: number, radius: number, pressure: number];

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

/** Dabs of one stroke, and edits of one piece of work, at most. */
export const MOST_DABS = 5000;
export const MOST_EDITS = 2000;
/** Places of an outline at most. */
export const MOST_OUTLINE = 4000;
const FARTHEST = 1e6;
const WIDEST = 1e4;

export const isBrushEdit = (edit: HandEdit): edit is BrushEdit =>
  edit.kind === 'smooth' || edit.kind === 'push' || edit.kind === 'flatten';

type Raw = Record<string, unknown>;

const isNumber = (v: unknown, low: number, high: number): boolean =>
  typeof v === 'number' && Number.isFinite(v) && v >= low && v <= high;
const isPlace = (v: unknown): boolean =>
  Array.isArray(v) && v.length === 3 && v.every((c) => isNumber(c, -FARTHEST, FARTHEST));
const isDirection = (v: unknown): boolean => isPlace(v) && Math.hypot(...(v as number[])) > 1e-6;
const areNumbers = (v: unknown, least: number, most: number, within: number): boolean =>
  Array.isArray(v) && v.length >= least && v.length <= most && v.every((c) => isNumber(c, -within, within));
const isFlag = (v: unknown): boolean => v === undefined || typeof v === 'boolean';
const isDab = (v: unknown): boolean =>
  Array.isArray(v) && v.length === 5 && isPlace(v.slice(0, 3)) && isNumber(v[3], 1e-3, WIDEST) && isNumber(v[4], 0, 1);
const areDabs = (v: unknown): boolean =>
  Array.isArray(v) && v.length > 0 && v.length <= MOST_DABS && v.every((dab) => isDab(dab));

const RULES: Record<HandEditKind, Readonly<Record<string, (v: unknown) => boolean>>> = {
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
export function faultOfHandEdits(value: unknown): string | undefined {
  if (!Array.isArray(value)) return 'must be a list of edits';
  if (value.length > MOST_EDITS) return `must hold at most ${MOST_EDITS} edits, not ${value.length}`;
  for (const [i, item] of value.entries()) {
    const edit = item as Raw | null;
    const rules = typeof edit === 'object' && edit ? RULES[edit.kind as HandEditKind] : undefined;
    if (!rules || !edit) return `edit ${i + 1} must be one of ${HAND_EDIT_KINDS.join(', ')}`;
    for (const [name, holds] of Object.entries(rules))
      if (!holds(edit[name])) return `edit ${i + 1} (${String(edit.kind)}) has no lawful ${name}`;
    const unknown = Object.keys(edit).find((name) => name !== 'kind' && !(name in rules));
    if (unknown) return `edit ${i + 1} (${String(edit.kind)}) has an unknown ${unknown}`;
  }
  return undefined;
}

/** An edit that means nothing here, such as a bridge on a surface without rims. */
export const cannot = (why: string): GeometryError => new GeometryError('invalid-parameter', why);
