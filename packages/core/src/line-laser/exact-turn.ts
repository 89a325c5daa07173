import type { ColorImage } from '../geometry/triangle-mesh.js';
import { GeometryError } from '../runtime/geometry-error.js';

/** A small grey picture, for comparing pictures of a recording with one another. */
export interface Thumbnail {
  width: number;
  height: number;
  data: Float32Array;
}

/** A length of turn that the pictures speak for. */
export interface TurnCandidate {
  /** Pictures in a turn, with parts. */
  count: number;
  /** Mean grey difference of pictures that far apart. */
  difference: number;
}

export interface TurnSearch {
  /** The likeliest first. */
  candidates: TurnCandidate[];
  /** Mean grey difference by distance in pictures; 0 at distances that were not compared. */
  curve: Float32Array;
  /** Way of turning seen from above, from the way in which the near side moves. */
  direction: 1 | -1;
  /** False if no length of turn stands out: a plain round object, or less than a whole turn was recorded. */
  clear: boolean;
}

/** Width of the compared pictures. */
const THUMBNAIL_WIDTH = 80;
/** So many pictures at least must have a partner a turn later. */
const LEAST_PAIRS = 3;
/** Shorter turns are not looked for, pictures. */
const SHORTEST = 12;

/** Averages a picture down to a grey thumbnail. */
export function thumbnailOf(image: ColorImage): Thumbnail {
  const step = Math.max(1, Math.round(image.width / THUMBNAIL_WIDTH));
  const width = Math.floor(image.width / step);
  const height = Math.floor(image.height / step);
  const data = new Float32Array(width * height);
  for (let y = 0; y < height; y++) {
    for (let x = 0; x < width; x++) {
      let sum = 0;
      for (let j = 0; j < step; j++) {
        for (let i = 0; i < step; i++) {
          const at = 3 * ((y * step + j) * image.width + x * step + i);
          sum += image.data[at] + image.data[at + 1] + image.data[at + 2];
        }
      }
      data[y * width + x] = sum / (3 * step * step);
    }
  }
  return { width, height, data };
}

/**
 * Finds one exact turn by comparing each picture with all later ones: a turn later the object looks the same.
 * O(pictures² · thumbnail).
 *
 * Source: M. Ross, H. Shaffer, A. Cohen, R. Freudberg, H. Manley (1974), Average magnitude difference function pitch
 * extractor; the lowest place is refined by a parabola.
 * @throws GeometryError `empty-input` with too few pictures
 */
export function findExactTurn(thumbnails: readonly Thumbnail[]): TurnSearch {
  const n = thumbnails.length;
  if (n < SHORTEST + LEAST_PAIRS) {
    throw new GeometryError(
      'empty-input',
      `${n} pictures can't hold a turn that can be told; record at least ${SHORTEST + LEAST_PAIRS}, and a little more than one turn.`,
    );
  }
  const last = n - LEAST_PAIRS;
  const curve = new Float32Array(last + 1);
  const values: number[] = [];
  for (let p = SHORTEST - 1; p <= last; p++) {
    let sum = 0;
    for (let i = 0; i + p < n; i++) sum += difference(thumbnails[i], thumbnails[i + p]);
    curve[p] = sum / (n - p);
    values.push(curve[p]);
  }
  const median = values.sort((a, b) => a - b)[values.length >> 1];
  const low: TurnCandidate[] = [];
  for (let p = SHORTEST; p < last; p++) {
    if (curve[p] > curve[p - 1] || curve[p] >= curve[p + 1]) continue;
    const bend = curve[p - 1] - 2 * curve[p] + curve[p + 1];
    const part = bend > 0 ? (0.5 * (curve[p - 1] - curve[p + 1])) / bend : 0;
    low.push({ count: p + part, difference: curve[p] - 0.25 * (curve[p - 1] - curve[p + 1]) * part });
  }
  const least = Math.min(...low.map((c) => c.difference), Infinity);
  const depth = median - least;
  // Two turns fit as well as one: of equals, the shorter is the turn.
  const candidates = low
    .filter((c) => c.difference < least + 0.4 * depth)
    .sort((a, b) => {
      const equal = Math.abs(a.difference - b.difference) < 0.06 * depth;
      return equal ? a.count - b.count : a.difference - b.difference;
    })
    .slice(0, 5);
  return { candidates, curve, direction: turningDirection(thumbnails), clear: least < 0.5 * median };
}

function difference(a: Thumbnail, b: Thumbnail): number {
  let sum = 0;
  for (let i = 0; i < a.data.length; i++) sum += Math.abs(a.data[i] - b.data[i]);
  return sum / a.data.length;
}

/**
 * The near side of what turns moves right if it turns counter-clockwise seen from above: the sideways motion that
 * explains most of the change from picture to picture (B. Lucas, T. Kanade 1981, one shift for the whole picture).
 */
function turningDirection(thumbnails: readonly Thumbnail[]): 1 | -1 {
  let agree = 0;
  for (let k = 0; k + 1 < thumbnails.length; k++) {
    const { width, height, data } = thumbnails[k];
    const next = thumbnails[k + 1].data;
    for (let y = 0; y < height; y++) {
      for (let x = 1; x < width - 1; x++) {
        const i = y * width + x;
        const slope = 0.25 * (data[i + 1] - data[i - 1] + next[i + 1] - next[i - 1]);
        agree -= slope * (next[i] - data[i]);
      }
    }
  }
  return agree >= 0 ? 1 : -1;
}
