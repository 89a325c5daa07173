export { PictureSource, pictureFinder, type PictureFinder } from './picture-source.js';
export * from './retouch-session.js';
export * from './touch.js';
