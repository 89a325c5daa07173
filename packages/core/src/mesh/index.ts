export * from './crossings.js';
export * from './orient-triangles.js';
export * from './rasterize.js';
export * from './repair.js';
export * from './simplify.js';
export * from './surface-faults.js';
export * from './topology.js';
export * from './vertex-triangles.js';
export { weldVertices } from './weld-vertices.js';
