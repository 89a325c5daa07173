export * from './overlaps.js';
export * from './pack-outlines.js';
export * from './place-charts.js';
export * from './unwrap-mesh.js';
