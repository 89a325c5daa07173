import type { Stage } from '@amber-knit/contracts';

/** Stages in working order with their names. */
export const STAGE_NAMES: [Stage, string][] = [
  ['plan', 'Plan'],
  ['capture', 'Capture'],
  ['clean', 'Clean'],
  ['register', 'Register'],
  ['fuse', 'Fuse'],
  ['mend', 'Mend'],
  ['texture', 'Texture'],
  ['check', 'Check'],
  ['deliver', 'Deliver'],
];

export const isStage = (s: string | undefined): s is Stage => STAGE_NAMES.some(([id]) => id === s);
