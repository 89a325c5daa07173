export * from './fuse-scans.js';
export * from './integrate-frame.js';
export * from './integrate-points.js';
export * from './marching-cubes.js';
export * from './signed-field.js';
