export * from './edit-rules.js';
export * from './geometry-error.js';
export * from './run-context.js';
export * from './listed.js';
export * from './map-task.js';
export * from './growing-array.js';
