/**
 * A piece in another scanned place. Goes in: two surfaces in millimetres and how the one lies in the frame of the other.
 * Comes out: where they come nearest, how deep and how much they clash, where it is tightest on a way, and how a piece lies
 * once it is set down or laid on.
 */
export { layOn, type PickedShape } from './lay-on.js';
export * from './placing.js';
export { PlacingGround, QUICK, THOROUGH, type Thoroughness } from './placing-ground.js';
export { moveUntilTouching, setDown } from './set-down.js';
export { findTightest, wayBetween } from './way.js';
