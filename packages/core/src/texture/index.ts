export * from './texture-mesh.js';
export { seeVerticesTask } from './frame-views.js';
export { paintRunTask } from './paint-map.js';
export { WISH_MANNERS, type PictureWish } from './picture-wishes.js';
