export { PictureSource, pictureFinder } from './picture-source.js';
export * from './retouch-session.js';
export * from './touch.js';
