export * from './cut-cloud.js';
export * from './capture-file.js';
export * from './color-image.js';
export * from './deviation-file.js';
export * from './selection-file.js';
export * from './stored-artifacts.js';
export * from './picture-zip.js';
export * from './picture-size.js';
