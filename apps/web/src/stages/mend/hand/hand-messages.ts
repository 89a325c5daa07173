import type { BrushEdit, CutEdit, Dab, HandEdit } from '@amber-knit/core/handwork';
import type { FromWork, ToWork } from '../../../shared/hand/work-client';
import type { MovedVertices } from '../../../view/surface-layer';
import type { SurfaceParts } from '../../../view/surface-parts';

/** How a stroke works, without its dabs. */
export type BrushManner = Omit<BrushEdit, 'dabs'>;
/** A cut whose side follows from which part is larger. */
export type CutAsked = CutEdit & { keep: 'larger' | 'smaller' };

/** To the worker that holds the surface. Each is answered by `done`. */
export type ToHand =
  | ToWork<HandEdit>
  | { ask: 'begin'; manner: BrushManner }
  | { ask: 'dab'; dab: Dab }
  | { ask: 'end' }
  /** What a dab reaches, without doing anything to it. */
  | { ask: 'reach'; dab: Dab }
  | { ask: 'do'; edit: Exclude<HandEdit, CutEdit> }
  | { ask: 'cut'; cut: CutAsked };

export type FromHand =
  | { tell: 'surface'; parts: SurfaceParts }
  | { tell: 'moved'; moved: MovedVertices }
  | { tell: 'reached'; positions: Float32Array }
  | FromWork<HandEdit>;
