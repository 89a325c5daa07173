export * from './turntable-axis.js';
export * from './align-stops.js';
export * from './empty-support.js';
export * from './marked-stops.js';
