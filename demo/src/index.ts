export * from './depth-camera.js';
export * from './galley-jug.js';
export * from './jug-scans.js';
export * from './scene.js';
export * from './single-views.js';
