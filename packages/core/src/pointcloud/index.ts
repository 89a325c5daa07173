export * from './crop-frames.js';
export * from './fpfh.js';
export * from './frame-cloud.js';
export * from './normals.js';
export * from './spacing.js';
export * from './stray-points.js';
export * from './support-plane.js';
export * from './thin.js';
