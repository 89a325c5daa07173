import type { Vec3 } from '../math/mat4.js';

/** A place for the piece in its surroundings, as a person chose it. */
export interface Placing {
  name: string;
  note: string;
  /** Rigid, 16 numbers column by column: how the piece lies in the frame of its surroundings. */
  sceneFromPiece: number[];
}

/**
 * `clear`: nothing touches. `touching`: nearer than can be told from touching. `clash`: both are in the same place somewhere.
 * `unseen`: the piece lies behind a surface that was scanned from its front alone; what is there nobody knows.
 */
export type PlacingState = 'clear' | 'touching' | 'clash' | 'unseen';

/** Where two surfaces come nearest. Millimetres, in the frame of the surroundings. */
export interface Clearance {
  distance: number;
  onPiece: Vec3;
  onScene: Vec3;
  /** One standard deviation, from the expected errors there; left away where nothing tells them. */
  uncertainty?: number;
  /** One of the two places was invented. */
  invented: boolean;
}

/** How much is in the same place twice. */
export interface Clash {
  /** How far a place of one surface lies within the other at most, mm, and where, in the frame of the surroundings. */
  depth: number;
  at: Vec3;
  /** The true depth is no more than this above it, mm. */
  within: number;
  /** mm³; left away where the piece is not closed: then it has no inside. */
  volume?: number;
}

/** What was found of a placing. */
export interface FoundPlacing {
  state: PlacingState;
  clearance: Clearance;
  clash?: Clash;
}

/** The way from one placing to the next. */
export interface FoundWay {
  /** Clearance at even steps, mm; below 0 how deep it clashes. */
  profile: number[];
  /** Where it is tightest, as a share of the way, how the piece lies there, and what was found. */
  at: number;
  sceneFromPiece: number[];
  found: FoundPlacing;
  /** Between what was looked at it can be tighter by no more than this, mm. */
  within: number;
}

/** All placings of a piece in one place, and what was found of each. */
export interface PlacingSheet {
  /** What the surroundings are called. */
  surroundings: string;
  asked: Placing[];
  found: FoundPlacing[];
  /** The ways from each placing to the next, where they were asked for. */
  ways: FoundWay[];
}

/** A sheet as it is kept and given away (docs/formats.md). */
export const plainPlacings = (sheet: PlacingSheet): object => ({ version: 1, units: 'mm, mm³', ...sheet });
