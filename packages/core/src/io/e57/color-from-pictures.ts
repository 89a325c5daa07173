import type { Mat4 } from '../../math/mat4.js';
import { GeometryError } from '../../runtime/geometry-error.js';
import { decodeColor } from '../../stored/color-image.js';
import { movedPicture, type E57Picture } from './pictures.js';

/** A point is hidden if another on the same spot of the picture is nearer by this share of its distance, */
const HIDDEN = 0.005;
/** and by so many times the width of the spot: surface seen at a slant is not hidden by its own near end. */
const SLANT = 2;
/** Points to a spot on which the nearest one hides the others: fewer, and what lies behind would shine through. */
const POINTS_OF_A_SPOT = 6;
const UNPAINTED = 128;

export interface PicturedColors {
  /** Absent if none of the pictures could be read. */
  colors?: Uint8Array;
  notes: string[];
}

/**
 * Colours for points out of the pictures that show them: of several the one taken from nearest by. Points that others hide
 * are not coloured by what is before them. Pictures that can't be read are passed over and named.
 * Holds one picture at a time. O(points · pictures + pixels).
 * @param fileFromScan from the points' frame into the pictures' common one, mm
 */
export function colorFromPictures(
  positions: Float32Array,
  pictures: readonly E57Picture[],
  fileFromScan: Mat4,
): PicturedColors {
  const n = positions.length / 3;
  const colors = new Uint8Array(3 * n).fill(UNPAINTED);
  const nearest = new Float32Array(n).fill(Infinity);
  const notes: string[] = [];
  let used = 0;
  for (const picture of pictures) {
    try {
      paint(positions, picture, movedPicture(picture, fileFromScan), colors, nearest);
      used++;
    } catch (error) {
      if (!(error instanceof GeometryError)) throw error;
      notes.push(`Picture "${picture.name}" was left out: ${error.message}.`);
    }
  }
  if (used === 0) return { notes };
  const bare = nearest.reduce((sum, d) => sum + (d === Infinity ? 1 : 0), 0);
  const some = used === 1 ? 'one picture' : `${used} pictures`;
  const rest = bare > 0 ? `; ${bare} of ${n} points are in none and stay grey` : '';
  return { colors, notes: [`Colours were taken from ${some}${rest}.`, ...notes] };
}

function paint(positions: Float32Array, picture: E57Picture, m: Mat4, colors: Uint8Array, nearest: Float32Array): void {
  const { projection } = picture;
  const image = decodeColor(picture.bytes(), 'the picture');
  if (image.width !== picture.width || image.height !== picture.height) {
    const sizes = `${image.width}×${image.height} pixels instead of ${picture.width}×${picture.height}`;
    throw new GeometryError('corrupt-file', `it has ${sizes}`);
  }
  const { width, height } = image;
  const n = positions.length / 3;
  const see = (i: number): boolean => {
    const [x, y, z] = [positions[3 * i], positions[3 * i + 1], positions[3 * i + 2]];
    return (
      projection.see(
        m[0] * x + m[4] * y + m[8] * z + m[12],
        m[1] * x + m[5] * y + m[9] * z + m[13],
        m[2] * x + m[6] * y + m[10] * z + m[14],
      ) &&
      projection.column >= 0 &&
      projection.column < width &&
      projection.row >= 0 &&
      projection.row < height
    );
  };
  // Spots are squares of the picture, so large that each holds some points.
  let seen = 0;
  for (let i = 0; i < n; i++) if (see(i)) seen++;
  const side = Math.max(1, Math.sqrt((width * height * POINTS_OF_A_SPOT) / Math.max(1, seen)));
  const across = Math.ceil(width / side);
  const depth = 1 + HIDDEN + SLANT * side * projection.radiansOfPixel;
  const front = new Float32Array(across * Math.ceil(height / side)).fill(Infinity);
  const spot = (): number => Math.floor(projection.row / side) * across + Math.floor(projection.column / side);
  for (let i = 0; i < n; i++) if (see(i)) front[spot()] = Math.min(front[spot()], projection.distance);
  for (let i = 0; i < n; i++) {
    if (!see(i) || projection.distance >= nearest[i]) continue;
    if (projection.distance > depth * front[spot()]) continue;
    nearest[i] = projection.distance;
    const pixel = 3 * (Math.floor(projection.row) * width + Math.floor(projection.column));
    for (let k = 0; k < 3; k++) colors[3 * i + k] = image.data[pixel + k];
  }
}
