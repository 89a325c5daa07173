export * from './measure-points.js';
export * from './plane-around.js';
export * from './point-at.js';
export * from './screen-region.js';
export * from './select-alike.js';
export * from './select-in-space.js';
export * from './select-on-screen.js';
export * from './selectable-cloud.js';
