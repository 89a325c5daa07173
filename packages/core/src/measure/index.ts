export * from './deviation.js';
export * from './mesh-measures.js';
