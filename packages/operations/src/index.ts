export * from './catalogue.js';
export * from './operation.js';
export * from './params.js';
export * from './piece-stats.js';
export * from './recipes.js';
export * from './run-operation.js';
export { UNITS, writeMeshFile, DeliverExportParams, type Unit } from './deliver-export.js';
