export * from './diagnose.js';
export * from './fill-holes.js';
export type { FillShape } from './fill-hole.js';
export * from './holes.js';
export * from './mend-faults.js';
export * from './mend-mesh.js';
export * from './seen-through.js';
export { triangulateLoop } from './triangulate-loop.js';
