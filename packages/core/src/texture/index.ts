export * from './picture.js';
export * from './texture-mesh.js';
