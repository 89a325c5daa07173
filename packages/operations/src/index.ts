export * from './catalogue.js';
export * from './operation.js';
export * from './params.js';
export * from './piece-stats.js';
export * from './recipes.js';
export * from './run-operation.js';
export * from './units.js';
export { writeMeshFile } from './deliver-export.js';
export { looksFromOrigin, scanFromFolder, scansFromFile } from './read-scans.js';
