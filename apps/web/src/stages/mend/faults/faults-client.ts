import { PlacesClient } from '../places/places-client';
import { cornersOf, type FoundFault } from './fault-words';

export const faultsClient = new PlacesClient<FoundFault>(
  () => new Worker(new URL('./faults.worker.ts', import.meta.url), { type: 'module' }),
  cornersOf,
  'The surface could not be looked through. Reload the page.',
);
