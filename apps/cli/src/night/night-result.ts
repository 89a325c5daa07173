import type { GuideVerdict } from '@amber-knit/recipes';

/** `sure`: done, nothing asks for a person. `look`: done, a person must judge something. `failed`: no model, and why. */
export type NightState = 'sure' | 'look' | 'failed';

/** What became of one object; kept beside its results as night.json. */
export interface NightResult {
  name: string;
  state: NightState;
  /** Exit code of its own run. */
  exit: number;
  /** Why it failed, or what a person must look at. */
  why: string;
  verdict?: GuideVerdict;
  seconds: number;
  /** What it was made of, with what: the same again need not be done again. */
  mark: string;
}
