export * from './eigen.js';
export * from './mat4.js';
export * from './plane-fit.js';
export * from './random.js';
export * from './rigid-fit.js';
export * from './solve.js';
export * from './turn.js';
export * from './sparse-least-squares.js';
