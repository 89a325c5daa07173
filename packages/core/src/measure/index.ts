export * from './capacity.js';
export * from './deviation.js';
export * from './mesh-measures.js';
export * from './resting-planes.js';
export * from './section-curves.js';
export * from './surface-path.js';
export * from './upright-motion.js';
export * from './wall-thickness.js';
