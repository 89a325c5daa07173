export * from './disjoint-sets.js';
export * from './point-grid.js';
export * from './surface-gap.js';
export * from './triangle-bvh.js';
export * from './voxel-keys.js';
