import type { Stage } from '@amber-knit/contracts';

/**
 * What the view shows: the scans, the surface once there is one, or the coloured surface once there is one: `model` the light
 * one where that is chosen, `whole` never.
 */
export type Shown = 'scans' | 'surface' | 'whole' | 'model';

export interface StageEntry {
  id: Stage;
  name: string;
  /** What the view shows at it. */
  shows: Shown;
  /** One or two sentences for somebody who comes here first. */
  guide: string;
  /** What else people call what is done here. */
  words?: string;
}

/** Stages in working order. */
export const STAGES: readonly StageEntry[] = [
  {
    id: 'plan',
    name: 'Plan',
    shows: 'scans',
    guide:
      'Say what the object is and what it is for. Device, settings, setups and later defaults follow; all of it stays open to change.',
    words: 'which scanner choose device kind of object glossy shiny black dark transparent fur spray prepare',
  },
  {
    id: 'capture',
    name: 'Capture',
    shows: 'scans',
    guide: 'Scan the object, or bring scans in from files.',
  },
  {
    id: 'clean',
    name: 'Clean',
    shows: 'scans',
    guide: 'Take away what is not the object: the table under it, stray points, flying pixels at edges.',
  },
  {
    id: 'register',
    name: 'Register',
    shows: 'scans',
    guide: 'Bring all scans into one place. Loose scans lie side by side until then.',
  },
  {
    id: 'fuse',
    name: 'Fuse',
    shows: 'surface',
    guide: 'Merge the registered scans into one surface, and see how well each place of it was measured.',
  },
  {
    id: 'mend',
    name: 'Mend',
    shows: 'surface',
    guide: 'Close holes and remove faults, work on the surface by hand, take noise away, then reduce the triangles.',
  },
  {
    id: 'texture',
    name: 'Texture',
    shows: 'model',
    guide:
      'Colour the surface from the captured pictures. For pages, games and phones, make a light model with the detail on its maps.',
  },
  {
    id: 'check',
    name: 'Check',
    shows: 'whole',
    guide:
      'Measure the result: pick dimensions in the view, look at its walls, hold it against a reference, put it into another scanned place, inspect it as a whole.',
  },
  {
    id: 'deliver',
    name: 'Deliver',
    shows: 'model',
    guide: 'Write the result to a file that others can open, and say how it was made.',
  },
];

/** Name of a stage and what is shown at it; undefined if there is none of that id. */
export const stageOf = (id: string | undefined) => STAGES.find((s) => s.id === id);
