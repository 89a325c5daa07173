export * from './estimate-stand.js';
export * from './exact-turn.js';
export * from './laser-light.js';
export * from './line-centres.js';
export * from './line-laser-stand.js';
export * from './scan-turn.js';
export * from './find-lines-task.js';
