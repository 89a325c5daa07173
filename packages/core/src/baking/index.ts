export * from './bake-maps.js';
export type { ReachRegion } from './cage.js';
export { findDetailTask } from './find-detail.js';
export { openToLightTask } from './occlusion.js';
export { isOtherTangent } from './tangents.js';
