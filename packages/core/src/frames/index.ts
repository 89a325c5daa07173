export * from './refine-frames.js';
