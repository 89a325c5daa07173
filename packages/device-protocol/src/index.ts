export * from './conformance.js';
export * from './device-session.js';
export * from './frame-codec.js';
export * from './messages.js';
