import { PlacesClient } from '../places/places-client';
import { drawnRims, type FoundHole } from './hole-words';

/** Points of a drawn rim are so many mm apart at most. */
const DRAWN_STEP = 0.4;

export const holesClient = new PlacesClient<FoundHole>(
  () => new Worker(new URL('./holes.worker.ts', import.meta.url), { type: 'module' }),
  (holes) => drawnRims(holes, DRAWN_STEP),
  'The holes could not be listed. Reload the page.',
);
