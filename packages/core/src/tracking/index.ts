export * from './depth-pyramid.js';
export * from './keyframes.js';
export * from './live-scan.js';
export * from './projective-icp.js';
export * from './raycast-field.js';
