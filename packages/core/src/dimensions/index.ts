export * from './dimension.js';
export * from './measure-dimension.js';
