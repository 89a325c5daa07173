export * from './glb.js';
export * from './obj.js';
export * from './ply.js';
export * from './read-scan-file.js';
export * from './rgbd.js';
export * from './scan-file.js';
export * from './stl.js';
