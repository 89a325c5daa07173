export * from './bit-set.js';
export * from './cie-lab.js';
export * from './depth-frame.js';
export * from './point-cloud.js';
export * from './scan.js';
export * from './smaller-picture.js';
export * from './srgb.js';
export * from './triangle-mesh.js';
