import { areDabs, type Dab } from '../geometry/dab.js';
import { faultOfEdits, isFlag, isNumber, isPlace, type EditRules } from '../runtime/edit-rules.js';

/** What every stroke on a map has. */
interface TouchStroke {
  dabs: readonly Dab[];
  /** How much of the way it goes in the middle of the brush, 0–1. */
  opacity: number;
  /** How far from its middle the brush works fully, as a share of its radius, 0–1. */
  hardness: number;
}

type Color = readonly [red: number, green: number, blue: number];

/** Lays a colour (sRGB, 0–255) on, or gives its hue and its strength to what is there and leaves that as light as it is. */
export interface PaintTouch extends TouchStroke {
  kind: 'paint' | 'tint';
  color: Color;
}

/** Copies from another place of the surface, which comes to lie where the stroke begins. */
export interface CopyTouch extends TouchStroke {
  kind: 'copy';
  from: readonly [number, number, number];
  /** How far what is copied is turned, degrees, counter-clockwise seen from outside. */
  turn: number;
  /** Takes over the detail alone: the colour is that of the place's border. */
  heal: boolean;
}

/** Takes the colours of one picture. */
export interface PictureTouch extends TouchStroke {
  kind: 'picture';
  /** Whose frame it is, by the names of both. */
  scan: string;
  frame: string;
  heal: boolean;
}

/** Lets the colours of the border go on over the place, or blurs it, or sharpens it. */
export interface PlainTouch extends TouchStroke {
  kind: 'heal' | 'soften' | 'sharpen';
}

/** Lighter or darker, stronger or weaker in colour, another hue. */
export interface ToneTouch extends TouchStroke {
  kind: 'tone';
  /** In doublings of the light. */
  lighter: number;
  /** Factor of the strength of colour. */
  strength: number;
  /** Degrees round the circle of hues. */
  hue: number;
}

/** One stroke on the map. It names places of the surface, not of the map: it can be done again on a map made anew. */
export type Touch = PaintTouch | CopyTouch | PictureTouch | PlainTouch | ToneTouch;
export type TouchKind = Touch['kind'];
/** A stroke without its dabs. */
export type TouchManner = Touch extends infer T ? (T extends Touch ? Omit<T, 'dabs'> : never) : never;

/** Strokes of one piece of work at most. */
export const MOST_TOUCHES = 2000;

const isShare = (v: unknown): boolean => isNumber(v, 0, 1);
const isColor = (v: unknown): boolean => Array.isArray(v) && v.length === 3 && v.every((c) => isNumber(c, 0, 255));
const isName = (v: unknown): boolean => typeof v === 'string' && v.length > 0 && v.length <= 200;
const STROKE: EditRules = { dabs: areDabs, opacity: isShare, hardness: isShare };

export const TOUCH_RULES: Readonly<Record<TouchKind, EditRules>> = {
  paint: { ...STROKE, color: isColor },
  tint: { ...STROKE, color: isColor },
  copy: { ...STROKE, from: isPlace, turn: (v) => isNumber(v, -360, 360), heal: isFlag },
  picture: {
    ...STROKE,
    scan: isName,
    frame: isName,
    heal: isFlag,
  },
  heal: STROKE,
  soften: STROKE,
  sharpen: STROKE,
  tone: {
    ...STROKE,
    lighter: (v) => isNumber(v, -8, 8),
    strength: (v) => isNumber(v, 0, 10),
    hue: (v) => isNumber(v, -360, 360),
  },
};

/** What is wrong with something that should be a list of strokes on a map, in words; undefined if nothing is. */
export const faultOfTouches = (value: unknown): string | undefined => faultOfEdits(value, TOUCH_RULES, MOST_TOUCHES);
