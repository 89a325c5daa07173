export * from './dot-map.js';
export * from './find-dots.js';
