import type { ViewAxes } from '../../../view/view-content';

type Place = readonly [number, number, number];
type Spot = readonly [x: number, y: number];

/**
 * The plane that stands behind a line drawn over the view, seen from the eye on edge.
 * @param axes how the view stands at a place @param seen where the view shows that place, pixels
 * @returns a place on it and its normal, not of unit length
 */
export function planeBehind(
  [from, to]: readonly [Spot, Spot],
  place: Place,
  axes: ViewAxes,
  seen: Spot,
  eye: Place,
): { at: Place; normal: Place } {
  const { right, up, mmPerPixel } = axes;
  const at = (spot: Spot): Place => {
    const [x, y] = [mmPerPixel * (spot[0] - seen[0]), mmPerPixel * (seen[1] - spot[1])];
    return [0, 1, 2].map((k) => place[k] + x * right[k] + y * up[k]) as unknown as Place;
  };
  const [a, b] = [at(from), at(to)];
  const along = [b[0] - a[0], b[1] - a[1], b[2] - a[2]];
  const away = [a[0] - eye[0], a[1] - eye[1], a[2] - eye[2]];
  return {
    at: a,
    normal: [
      along[1] * away[2] - along[2] * away[1],
      along[2] * away[0] - along[0] * away[2],
      along[0] * away[1] - along[1] * away[0],
    ],
  };
}

/** Points of three short lines that cross at a place, 3n. */
export function crossAt(place: Place, size: number): Float32Array {
  const out: number[] = [];
  for (let axis = 0; axis < 3; axis++)
    for (let step = -8; step <= 8; step++) out.push(...place.map((c, k) => c + (k === axis ? (size * step) / 8 : 0)));
  return Float32Array.from(out);
}
