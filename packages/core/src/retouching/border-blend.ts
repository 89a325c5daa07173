/** Places of a border that tell how colours differ there: more bring nothing that the eye sees. */
const MOST_PLACES = 160;

/**
 * How what lies inside a border differs from what is put there, told at places of the border and carried inwards smoothly, so that
 * no edge is seen: the membrane of a gradient-domain copy, by weights that fall with the distance.
 *
 * Sources: P. Pérez, M. Gangnet, A. Blake (2003), Poisson image editing; Z. Farbman et al. (2009), Coordinates for instant image
 * cloning (weights in place of solving). Weights here are those of D. Shepard (1968), inverse cubes of distances: they need no
 * order of the border and work across the seams of a map.
 */
export class BorderBlend {
  private readonly places: number[] = [];
  private readonly values: number[] = [];

  /** @param border places (3 each) and what they differ by (3 each) */
  constructor(border: { place: ArrayLike<number>; value: ArrayLike<number> }, count: number) {
    const step = Math.max(1, count / MOST_PLACES);
    for (let i = 0; i < count; i += step) {
      const at = 3 * Math.floor(i);
      for (let k = 0; k < 3; k++) {
        this.places.push(border.place[at + k]);
        this.values.push(border.value[at + k]);
      }
    }
  }

  get isEmpty(): boolean {
    return this.places.length === 0;
  }

  /** Writes the difference at a place to `out`. */
  at(x: number, y: number, z: number, out: Float64Array): void {
    const { places, values } = this;
    let total = 0;
    out.fill(0);
    for (let i = 0; i < places.length; i += 3) {
      const square = (places[i] - x) ** 2 + (places[i + 1] - y) ** 2 + (places[i + 2] - z) ** 2;
      const weight = 1 / (square * Math.sqrt(square) + 1e-12);
      total += weight;
      for (let k = 0; k < 3; k++) out[k] += weight * values[i + k];
    }
    if (total > 0) for (let k = 0; k < 3; k++) out[k] /= total;
  }
}
