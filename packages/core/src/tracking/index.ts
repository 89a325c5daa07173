export * from './depth-pyramid.js';
export * from './keyframes.js';
export * from './live-scan.js';
export * from './projective-icp.js';
export * from './raycast-field.js';
export * from './coverage.js';
export * from './live-surface.js';
export * from './stand-off.js';
