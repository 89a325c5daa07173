export * from './fuse-scans.js';
export * from './integrate-frame.js';
export * from './marching-cubes.js';
export * from './measured-points.js';
export * from './patch-field.js';
export * from './patch-fitter.js';
export * from './signed-field.js';
export * from './surface-patches.js';
