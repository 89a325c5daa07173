import type { Shape } from '../fitting/shape.js';
import { onAxis } from '../fitting/shape.js';
import {
  cross3,
  dot3,
  fromAxisAngle,
  fromTranslation,
  multiply,
  perpendiculars,
  rotateVector,
  transformPoint,
  type Mat4,
  type Vec3,
} from '../math/mat4.js';
import { GeometryError } from '../runtime/geometry-error.js';

/** A shape that was fitted, the place that it was picked at, and the way outwards there. All in the frame of its surface. */
export interface PickedShape {
  shape: Shape;
  place: Vec3;
  outwards: Vec3;
}

const AXIAL: readonly Shape['kind'][] = ['cylinder', 'cone', 'torus', 'circle'];

/**
 * Lays a shape of the piece on one of its surroundings, moving no more than that takes: a flat face on a flat face, the two
 * turned to one another; an axis on an axis; a ball's middle on a ball's or on an axis. The picked places come as near each
 * other as that leaves room for.
 * @returns how the piece lies then, in the frame of the surroundings
 * @throws GeometryError `degenerate` for shapes that can't be laid on one another
 */
export function layOn(piece: PickedShape, scene: PickedShape, sceneFromPiece: Mat4): Mat4 {
  const [a, b] = [piece.shape.kind, scene.shape.kind];
  if (a === 'plane' && b === 'plane') {
    const from = rotateVector(sceneFromPiece, ...piece.outwards);
    const turned = turnedAt(sceneFromPiece, piece.place, from, scene.outwards.map((c) => -c) as Vec3);
    return shifted(turned, piece.place, scene.place);
  }
  if (AXIAL.includes(a) && AXIAL.includes(b)) {
    const from = rotateVector(sceneFromPiece, ...piece.shape.axis);
    // An axis has no front: the nearer way round.
    const to = scene.shape.axis.map((c) => (dot3(from, scene.shape.axis) < 0 ? -c : c)) as Vec3;
    const foot = onAxis(piece.shape, piece.place);
    return shifted(turnedAt(sceneFromPiece, foot, from, to), foot, onAxis(scene.shape, scene.place));
  }
  if (a === 'sphere' && b === 'sphere') return shifted(sceneFromPiece, piece.shape.at, scene.shape.at);
  if (a === 'sphere' && AXIAL.includes(b))
    return shifted(
      sceneFromPiece,
      piece.shape.at,
      onAxis(scene.shape, transformPoint(sceneFromPiece, ...piece.shape.at)),
    );
  throw new GeometryError(
    'degenerate',
    `A ${a} can’t be laid on a ${b}. Pick two flat faces, two round ones with an axis, or a ball.`,
  );
}

/** Turned about a place of the piece so that a direction (as it lies in the surroundings) becomes another. */
function turnedAt(sceneFromPiece: Mat4, place: Vec3, from: Vec3, to: Vec3): Mat4 {
  const axis = cross3(from, to);
  const sine = Math.hypot(...axis);
  const cosine = dot3(from, to);
  const about = sine > 1e-12 ? (axis.map((c) => c / sine) as Vec3) : perpendiculars(from)[0];
  const turn = fromAxisAngle(about, Math.atan2(sine, cosine));
  return shifted(multiply(turn, sceneFromPiece), place, transformPoint(sceneFromPiece, ...place));
}

/** Shifted so that a place of the piece comes to lie on one of the surroundings. */
function shifted(sceneFromPiece: Mat4, place: Vec3, to: Vec3): Mat4 {
  const now = transformPoint(sceneFromPiece, ...place);
  return multiply(fromTranslation(to[0] - now[0], to[1] - now[1], to[2] - now[2]), sceneFromPiece);
}
