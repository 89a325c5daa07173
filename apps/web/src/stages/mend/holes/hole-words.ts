/** A hole as it is listed: its rim's length and middle, mm, and its rim's places in order, 3n. */
export interface FoundHole {
  length: number;
  middle: [number, number, number];
  rim: Float32Array;
  /** It belongs to the object. */
  meant: boolean;
}

/** How wide a hole is, as a circle with its rim. */
export function acrossText({ length }: FoundHole): string {
  const across = length / Math.PI;
  return `about ${across < 10 ? across.toFixed(1) : across.toFixed(0)} mm`;
}

/** Where to look at a hole from: off the surface, by the area that its rim runs round (M. Newell's sum). */
export function besideHole({ middle, rim }: FoundHole, away: number): [number, number, number] {
  const area = [0, 0, 0];
  const n = rim.length / 3;
  for (let i = 0; i < n; i++) {
    const [a, b] = [3 * i, 3 * ((i + 1) % n)];
    for (let k = 0; k < 3; k++) {
      const [u, v] = [(k + 1) % 3, (k + 2) % 3];
      // The rim runs along the triangles beside it, so the hole's own turn is the other way round.
      area[k] -=
        (rim[a + u] - middle[u]) * (rim[b + v] - middle[v]) - (rim[a + v] - middle[v]) * (rim[b + u] - middle[u]);
    }
  }
  const l = Math.hypot(...area) || 1;
  return [0, 1, 2].map((k) => middle[k] + (away * area[k]) / l) as [number, number, number];
}

/** Places of the holes whose rim is no longer than `most` mm, without those that are meant to be open. */
export const upTo = (holes: readonly FoundHole[], most: number): Set<number> =>
  new Set(holes.flatMap((h, i) => (h.length <= most && !h.meant ? [i] : [])));

/** Points along the rims, close enough to be seen as lines. */
export function drawnRims(holes: readonly FoundHole[], step: number): Float32Array {
  const out: number[] = [];
  for (const { rim } of holes) {
    const n = rim.length / 3;
    for (let i = 0; i < n; i++) {
      const [a, b] = [3 * i, 3 * ((i + 1) % n)];
      const d = [0, 1, 2].map((k) => rim[b + k] - rim[a + k]);
      const parts = Math.max(1, Math.ceil(Math.hypot(...d) / step));
      for (let j = 0; j < parts; j++) for (let k = 0; k < 3; k++) out.push(rim[a + k] + (d[k] * j) / parts);
    }
  }
  return Float32Array.from(out);
}
