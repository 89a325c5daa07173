export * from './next-views.js';
export * from './sight-grid.js';
