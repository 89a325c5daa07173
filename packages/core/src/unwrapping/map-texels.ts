/** The texels of a layout's charts, in the order of their triangles. */
export interface MapTexels {
  /** Number on the map, row by row from the top. */
  texel: Uint32Array;
  /** First texel of each triangle; one more than there are triangles. */
  first: Uint32Array;
  /** 1 if the texel's middle lies inside its triangle, 0 if just outside. */
  inside: Uint8Array;
}

/** Texels whose middle lies less than this many pixels outside belong to a triangle too: no chart has gaps along its rim. */
const RIM = 0.6;

/**
 * Gives each texel of a square map to the triangle that it lies in, or to one that it lies just beside. O(texels).
 * @param cornerPixels two pixels a corner, from the top left (6m)
 */
export function mapTexels(cornerPixels: Float32Array, size: number): MapTexels {
  const q = cornerPixels;
  const m = q.length / 6;
  const owner = new Int32Array(size * size).fill(-1);
  const within = new Uint8Array(size * size);
  for (let t = 0; t < m; t++) {
    const at = 6 * t;
    const area = (q[at + 2] - q[at]) * (q[at + 5] - q[at + 1]) - (q[at + 4] - q[at]) * (q[at + 3] - q[at + 1]);
    if (area === 0) continue;
    const rim = -RIM / Math.sqrt(Math.abs(area));
    const x0 = Math.max(0, Math.floor(Math.min(q[at], q[at + 2], q[at + 4]) - 0.5));
    const x1 = Math.min(size - 1, Math.ceil(Math.max(q[at], q[at + 2], q[at + 4]) - 0.5));
    const y0 = Math.max(0, Math.floor(Math.min(q[at + 1], q[at + 3], q[at + 5]) - 0.5));
    const y1 = Math.min(size - 1, Math.ceil(Math.max(q[at + 1], q[at + 3], q[at + 5]) - 0.5));
    for (let y = y0; y <= y1; y++) {
      for (let x = x0; x <= x1; x++) {
        const px = x + 0.5;
        const py = y + 0.5;
        const a = ((q[at + 2] - px) * (q[at + 5] - py) - (q[at + 4] - px) * (q[at + 3] - py)) / area;
        const b = ((q[at + 4] - px) * (q[at + 1] - py) - (q[at] - px) * (q[at + 5] - py)) / area;
        const c = 1 - a - b;
        if (a < rim || b < rim || c < rim) continue;
        const texel = y * size + x;
        const inside = a >= 0 && b >= 0 && c >= 0;
        if (within[texel] || (owner[texel] >= 0 && !inside)) continue;
        owner[texel] = t;
        within[texel] = inside ? 1 : 0;
      }
    }
  }
  const first = new Uint32Array(m + 1);
  for (const t of owner) if (t >= 0) first[t + 1]++;
  for (let t = 0; t < m; t++) first[t + 1] += first[t];
  const next = first.slice();
  const texel = new Uint32Array(first[m]);
  const inside = new Uint8Array(first[m]);
  for (let i = 0; i < owner.length; i++) {
    if (owner[i] < 0) continue;
    const at = next[owner[i]]++;
    texel[at] = i;
    inside[at] = within[i];
  }
  return { texel, first, inside };
}

/**
 * Shares of a triangle's three corners at a place of the map, pixels; beyond the triangle some are below 0.
 * @returns false if the triangle has no area on the map
 */
export function cornerShares(q: Float32Array, t: number, px: number, py: number, out: Float64Array): boolean {
  const at = 6 * t;
  const area = (q[at + 2] - q[at]) * (q[at + 5] - q[at + 1]) - (q[at + 4] - q[at]) * (q[at + 3] - q[at + 1]);
  if (area === 0) return false;
  out[0] = ((q[at + 2] - px) * (q[at + 5] - py) - (q[at + 4] - px) * (q[at + 3] - py)) / area;
  out[1] = ((q[at + 4] - px) * (q[at + 1] - py) - (q[at] - px) * (q[at + 5] - py)) / area;
  out[2] = 1 - out[0] - out[1];
  return true;
}

/** Map coordinates of pixels from the top left: shares of the map from its lower left. */
export function uvsOf(cornerPixels: Float32Array, size: number): Float32Array {
  return cornerPixels.map((c, i) => (i % 2 === 0 ? c / size : 1 - c / size));
}

/** Pixels from the top left of map coordinates. */
export function pixelsOf(cornerUvs: Float32Array, width: number, height: number): Float32Array {
  return cornerUvs.map((c, i) => (i % 2 === 0 ? c * width : (1 - c) * height));
}
