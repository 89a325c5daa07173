export * from './bake-maps.js';
export type { ReachRegion } from './cage.js';
export { findDetailTask } from './find-detail.js';
export { normalsOff } from './normals-off.js';
export { openToLightTask } from './occlusion.js';
