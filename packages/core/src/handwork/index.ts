export * from './hand-edit.js';
export * from './hand-session.js';
