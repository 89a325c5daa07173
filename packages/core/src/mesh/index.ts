export * from './rasterize.js';
export * from './repair.js';
export * from './simplify.js';
export * from './topology.js';
