export * from './map-texels.js';
export * from './overlaps.js';
export * from './pack-outlines.js';
export * from './padding.js';
export * from './place-charts.js';
export * from './unwrap-mesh.js';
