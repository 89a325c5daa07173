export * from './picture-through.js';
export * from './turntable-pictures.js';
export * from './viewing-directions.js';
