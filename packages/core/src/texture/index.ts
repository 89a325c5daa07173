export * from './pack-outlines.js';
export * from './picture.js';
export * from './place-charts.js';
export * from './texture-mesh.js';
export * from './unwrap.js';
