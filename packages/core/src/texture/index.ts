export * from './bake.js';
export * from './frame-views.js';
export * from './pack.js';
export * from './picture.js';
export * from './unwrap.js';
