export * from './turntable-axis.js';
