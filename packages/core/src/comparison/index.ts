export * from './align-surfaces.js';
export * from './compare-surfaces.js';
export * from './sample-surface.js';
export * from './turning-symmetry.js';
