export * from './dimension.js';
export * from './dimension-direction.js';
export * from './measure-dimension.js';
export * from './shape-sheet.js';
