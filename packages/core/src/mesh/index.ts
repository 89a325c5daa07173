export * from './rasterize.js';
