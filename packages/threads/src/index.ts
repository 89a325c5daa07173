export * from './thread-pool.js';
