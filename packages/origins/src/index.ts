export * from './origins.js';
