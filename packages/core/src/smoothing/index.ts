export * from './denoise-mesh.js';
