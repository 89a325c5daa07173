import type { ColorImage } from '../geometry/triangle-mesh.js';

/** What a triangle is painted with: a picture, or one colour (sRGB bytes). */
export type Paint = ColorImage | readonly [number, number, number];

/**
 * A colour for each point of a mesh out of its map: what the picture shows at the corners that meet in the point,
 * averaged. 3n; points without a triangle stay middle grey. O(n + m).
 * @param cornerUvs two map coordinates per triangle corner (6m), origin at the lower left; outside 0–1 the map repeats
 * @param paintOf what triangle t is painted with
 */
export function colorsFromMap(
  points: number,
  indices: Uint32Array,
  cornerUvs: Float32Array | undefined,
  paintOf: (t: number) => Paint | undefined,
): Uint8Array {
  const sums = new Float32Array(3 * points);
  const counts = new Uint16Array(points);
  for (let t = 0; t < indices.length / 3; t++) {
    const paint = paintOf(t);
    if (!paint) continue;
    for (let k = 0; k < 3; k++) {
      const v = indices[3 * t + k];
      if (counts[v] === 0xffff) continue;
      counts[v]++;
      if (!('data' in paint)) {
        for (let c = 0; c < 3; c++) sums[3 * v + c] += paint[c];
      } else if (cornerUvs) {
        const at = 3 * pixelAt(paint, cornerUvs[6 * t + 2 * k], cornerUvs[6 * t + 2 * k + 1]);
        for (let c = 0; c < 3; c++) sums[3 * v + c] += paint.data[at + c];
      } else counts[v]--;
    }
  }
  const out = new Uint8Array(3 * points).fill(128);
  for (let v = 0; v < points; v++) {
    if (counts[v] > 0) for (let c = 0; c < 3; c++) out[3 * v + c] = Math.round(sums[3 * v + c] / counts[v]);
  }
  return out;
}

/** The pixel that a picture shows at map coordinates. */
export function pixelAt({ width, height }: ColorImage, u: number, v: number): number {
  const repeated = (x: number): number => (Number.isFinite(x) ? (x >= 0 && x <= 1 ? x : x - Math.floor(x)) : 0);
  const x = Math.min(width - 1, Math.floor(repeated(u) * width));
  const y = Math.min(height - 1, Math.floor((1 - repeated(v)) * height));
  return y * width + x;
}
