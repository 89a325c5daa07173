export * from './geometry-error.js';
export * from './run-context.js';
