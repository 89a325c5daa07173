export * from './coverage-growth.js';
export * from './refine-frames.js';
export * from './rejoin-frames.js';
export * from './judge-frames.js';
export * from './seen-by.js';
export { linkFramesTask } from './link-frames.js';
