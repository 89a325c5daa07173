export * from './carry-attributes.js';
export { lineFinder, markCreases } from './crease-lines.js';
export * from './edge-measures.js';
export * from './editable-mesh.js';
export * from './even-mesh.js';
export * from './reduce-mesh.js';
