import { boundsOf } from '../geometry/point-cloud.js';
import { multiply, type Mat4, type Vec3, fromTranslation, transformPoint } from '../math/mat4.js';
import { QUICK, type PlacingGround } from './placing-ground.js';

/** Two surfaces this near touch, mm. */
const NEAR = 0.002;
const MOST_STEPS = 200;

/**
 * Moves the piece along a direction until it touches: by the clearance that there is, again and again, which can't go
 * through anything (J. Hart, 1996, Sphere tracing). O(steps log m)
 * @param direction of length 1, in the frame of the surroundings
 * @param most goes no further, mm
 * @returns how the piece lies then; nothing if it meets nothing, or clashes where it begins
 */
export function moveUntilTouching(
  ground: PlacingGround,
  sceneFromPiece: Mat4,
  direction: Vec3,
  most: number,
): Mat4 | undefined {
  let gone = 0;
  let now = sceneFromPiece;
  for (let k = 0; k < MOST_STEPS; k++) {
    const { distance } = ground.clearance(now);
    if (distance === 0) return k === 0 ? undefined : now;
    if (distance < NEAR) return now;
    gone += distance;
    if (gone > most) return undefined;
    now = multiply(fromTranslation(...(direction.map((c) => gone * c) as Vec3)), sceneFromPiece);
  }
  return now;
}

/**
 * Sets the piece down at a place of its surroundings: its lowest part above that place, then straight down until it touches.
 * It keeps how it is turned. Begun just above; higher where something else is in the way.
 * @returns nothing if it finds no room above the place, or nothing to stand on
 */
export function setDown(ground: PlacingGround, sceneFromPiece: Mat4, place: Vec3): Mat4 | undefined {
  const { positions: p } = ground.piece.mesh;
  let lowest = Infinity;
  for (let v = 0; v < p.length; v += 3)
    lowest = Math.min(
      lowest,
      sceneFromPiece[2] * p[v] + sceneFromPiece[6] * p[v + 1] + sceneFromPiece[10] * p[v + 2] + sceneFromPiece[14],
    );
  const middle = transformPoint(sceneFromPiece, ...ground.middle);
  const over = multiply(fromTranslation(place[0] - middle[0], place[1] - middle[1], place[2] - lowest), sceneFromPiece);
  const highest = boundsOf(ground.scene.mesh.positions).max[2];
  // The last try is above everything.
  for (let lift = 0.01 * ground.radius, last = false; !last; lift *= 2) {
    last = place[2] + lift > highest;
    const above = multiply(fromTranslation(0, 0, lift), over);
    if (ground.look(above, QUICK).state !== 'clear') continue;
    return moveUntilTouching(ground, above, [0, 0, -1], lift + 2 * ground.radius);
  }
  return undefined;
}
