import type { ColorImage } from '@amber-knit/core/geometry';
import type { MapTile } from '../../../view/surface-maps';

/** Edge of a tile, pixels. */
export const TILE = 64;

/** The tiles of a map in which some texels lie, as they look now. */
export function tilesOf({ width, height, data }: ColorImage, texels: ArrayLike<number>): MapTile[] {
  const across = Math.ceil(width / TILE);
  const touched = new Set<number>();
  for (let i = 0; i < texels.length; i++) {
    const x = texels[i] % width;
    const y = (texels[i] - x) / width;
    touched.add(Math.floor(y / TILE) * across + Math.floor(x / TILE));
  }
  return Array.from(touched, (tile): MapTile => {
    const x = (tile % across) * TILE;
    const y = Math.floor(tile / across) * TILE;
    const w = Math.min(TILE, width - x);
    const h = Math.min(TILE, height - y);
    const rgba = new Uint8Array(4 * w * h).fill(255);
    for (let row = 0; row < h; row++)
      for (let col = 0; col < w; col++) {
        const from = 3 * ((y + row) * width + x + col);
        for (let k = 0; k < 3; k++) rgba[4 * (row * w + col) + k] = data[from + k];
      }
    return { x, y, width: w, height: h, rgba };
  });
}
