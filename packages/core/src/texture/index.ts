export * from './texture-mesh.js';
