export * from './turntable-axis.js';
export * from './align-stops.js';
