import { OPERATION_IDS } from './operation-ids.js';
import { countText, lengthText } from './quantity-text.js';

/** Something that a piece must have before an operation gives what it promises, as far as can be told without running it. */
export interface Demand {
  label: string;
  /** `unknown`: it takes a look first; the operation itself looks in any case. */
  state: 'met' | 'unmet' | 'unknown';
  /** Without it nothing is written; else the result is only poorer. */
  must: boolean;
  /** What is there, in a few words. */
  said: string;
  /** The operation that mends it, with its suggested values, or that takes the look. */
  remedy?: string;
}

/** What is known of the surface as it stands. Lengths in mm. */
export interface SurfaceFacts {
  closed: boolean;
  /** Rims; unknown where too many triangles meet at an edge. */
  holes?: number;
  pieces: number;
  hasColors: boolean;
  /** Height of its lowest place. */
  lowest?: number;
  longest?: number;
  /** It was set upright. */
  upright: boolean;
  /** Pairs of triangles that cross, and closed pieces that face inwards, where a step told of this very surface. */
  crossings?: number;
  insideOut?: number;
  /** Triangles of the light model, where there is one. */
  lightTriangles?: number;
}

const many = (n: number, one: string, more: string): string => `${countText(n)} ${n === 1 ? one : more}`;

/** No hole, no edge of three triangles. */
export function demandClosed({ closed, holes }: SurfaceFacts, must: boolean): Demand {
  const said = closed ? 'no rim anywhere' : holes ? `${many(holes, 'hole', 'holes')} open` : 'not closed';
  return {
    label: 'Closed',
    must,
    said,
    state: closed ? 'met' : 'unmet',
    ...(closed ? {} : { remedy: OPERATION_IDS.mendAll }),
  };
}

/** One piece, so many loose ones to take away. */
export function demandOnePiece({ pieces }: SurfaceFacts): Demand {
  return {
    label: 'In one piece',
    must: true,
    said: many(pieces, 'piece', 'pieces'),
    state: pieces === 1 ? 'met' : 'unmet',
    ...(pieces === 1 ? {} : { remedy: OPERATION_IDS.mendAll }),
  };
}

/** No triangle through another. */
export function demandNoCrossings({ crossings }: SurfaceFacts): Demand {
  const label = 'Crosses itself nowhere';
  if (crossings === undefined)
    return { label, must: true, said: 'not looked at yet', state: 'unknown', remedy: OPERATION_IDS.checkInspect };
  return {
    label,
    must: true,
    said: crossings === 0 ? 'looked at' : many(crossings, 'pair of triangles crosses', 'pairs of triangles cross'),
    state: crossings === 0 ? 'met' : 'unmet',
    ...(crossings === 0 ? {} : { remedy: OPERATION_IDS.mendAll }),
  };
}

/** Triangles that face outwards. */
export function demandOutwards({ insideOut }: SurfaceFacts): Demand {
  const label = 'Faces outwards';
  if (insideOut === undefined)
    return { label, must: true, said: 'not looked at yet', state: 'unknown', remedy: OPERATION_IDS.checkInspect };
  return {
    label,
    must: true,
    said: insideOut === 0 ? 'looked at' : 'inside out',
    state: insideOut === 0 ? 'met' : 'unmet',
    ...(insideOut === 0 ? {} : { remedy: OPERATION_IDS.mendAll }),
  };
}

/** Z is its up, and it stands on the ground. */
export function demandUpright({ upright, lowest, longest }: SurfaceFacts): Demand {
  const onGround = lowest !== undefined && longest !== undefined && Math.abs(lowest) < 0.01 * longest;
  const said = upright
    ? 'set upright'
    : lowest === undefined
      ? 'not set upright'
      : onGround
        ? 'on the ground, its up not confirmed'
        : `its lowest place at ${lengthText(lowest)}`;
  return {
    label: 'Upright on the ground',
    must: false,
    said,
    state: upright ? 'met' : 'unmet',
    ...(upright ? {} : { remedy: OPERATION_IDS.checkUpright }),
  };
}

/** Colours to be known by. */
export function demandColors({ hasColors }: SurfaceFacts, hasFrames: boolean): Demand {
  return {
    label: 'In its own colours',
    must: false,
    said: hasColors ? 'coloured' : hasFrames ? 'not textured yet' : 'no colours, and no pictures to take them from',
    state: hasColors ? 'met' : 'unmet',
    ...(!hasColors && hasFrames ? { remedy: OPERATION_IDS.textureMap } : {}),
  };
}

/** A light model with the detail on its maps. */
export function demandLight({ lightTriangles }: SurfaceFacts): Demand {
  return {
    label: 'Light model with maps',
    must: true,
    said: lightTriangles === undefined ? 'not made yet' : many(lightTriangles, 'triangle', 'triangles'),
    state: lightTriangles === undefined ? 'unmet' : 'met',
    ...(lightTriangles === undefined ? { remedy: OPERATION_IDS.textureBake } : {}),
  };
}
