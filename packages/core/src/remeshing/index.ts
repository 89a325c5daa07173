export * from './carry-attributes.js';
export * from './editable-mesh.js';
export * from './reduce-mesh.js';
