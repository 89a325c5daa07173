import type { Stage } from '@amber-knit/contracts';

/**
 * What the view shows: the scans, the surface once there is one, or the coloured surface once there is one: `model` the light
 * one where that is chosen, `whole` never.
 */
export type Shown = 'scans' | 'surface' | 'whole' | 'model';

/** Stages in working order, with their names and what the view shows at them. */
export const STAGES: { id: Stage; name: string; shows: Shown }[] = [
  { id: 'plan', name: 'Plan', shows: 'scans' },
  { id: 'capture', name: 'Capture', shows: 'scans' },
  { id: 'clean', name: 'Clean', shows: 'scans' },
  { id: 'register', name: 'Register', shows: 'scans' },
  { id: 'fuse', name: 'Fuse', shows: 'surface' },
  { id: 'mend', name: 'Mend', shows: 'surface' },
  { id: 'texture', name: 'Texture', shows: 'model' },
  { id: 'check', name: 'Check', shows: 'whole' },
  { id: 'deliver', name: 'Deliver', shows: 'model' },
];

/** Name of a stage and what is shown at it; undefined if there is none of that id. */
export const stageOf = (id: string | undefined) => STAGES.find((s) => s.id === id);
