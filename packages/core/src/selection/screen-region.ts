/** Part of a picture, pixel by pixel: pixel (x, y) is inside if `mask[(y − y0) · width + x − x0]` is 1. */
export interface ScreenRegion {
  x0: number;
  y0: number;
  width: number;
  height: number;
  mask: Uint8Array;
}

/** Places on the picture: x, y for each, pixels, the first pixel's middle at (0.5, 0.5). */
export type ScreenPath = ArrayLike<number>;

/**
 * The inside of a closed path: pixels whose middle it winds around (non-zero rule, so that a loop drawn over itself has
 * no holes). The last place is joined to the first. Scan conversion as in J. Foley, A. van Dam, S. Feiner, J. Hughes
 * (1990), Computer Graphics: Principles and Practice, §3.6. O(height · places + pixels).
 */
export function insideOfPath(path: ScreenPath, pictureWidth: number, pictureHeight: number): ScreenRegion {
  const region = emptyRegion(path, 0, pictureWidth, pictureHeight);
  const { x0, y0, width, height, mask } = region;
  const n = path.length >> 1;
  const crossings: { x: number; turn: number }[] = [];
  for (let row = 0; row < height; row++) {
    const y = y0 + row + 0.5;
    crossings.length = 0;
    for (let i = 0; i < n; i++) {
      const j = i + 1 === n ? 0 : i + 1;
      const ya = path[2 * i + 1];
      const yb = path[2 * j + 1];
      if (ya <= y === yb <= y) continue;
      const x = path[2 * i] + ((y - ya) / (yb - ya)) * (path[2 * j] - path[2 * i]);
      crossings.push({ x, turn: ya <= y ? 1 : -1 });
    }
    crossings.sort((a, b) => a.x - b.x);
    let winding = 0;
    for (let k = 0; k + 1 < crossings.length; k++) {
      winding += crossings[k].turn;
      if (winding === 0) continue;
      const from = Math.max(0, Math.ceil(crossings[k].x - 0.5) - x0);
      const to = Math.min(width, Math.ceil(crossings[k + 1].x - 0.5) - x0);
      if (to > from) mask.fill(1, row * width + from, row * width + to);
    }
  }
  return region;
}

/** Everything within `radius` pixels of an open path: the track of a round brush. O(places · pixels of a brush). */
export function trackOfBrush(
  path: ScreenPath,
  radius: number,
  pictureWidth: number,
  pictureHeight: number,
): ScreenRegion {
  const region = emptyRegion(path, radius, pictureWidth, pictureHeight);
  const { x0, y0, width, height, mask } = region;
  const n = path.length >> 1;
  for (let i = 0; i < n; i++) {
    const j = Math.min(n - 1, i + 1);
    const ax = path[2 * i];
    const ay = path[2 * i + 1];
    const dx = path[2 * j] - ax;
    const dy = path[2 * j + 1] - ay;
    const square = dx * dx + dy * dy;
    const left = Math.max(0, Math.floor(Math.min(ax, ax + dx) - radius) - x0);
    const right = Math.min(width - 1, Math.ceil(Math.max(ax, ax + dx) + radius) - x0);
    const top = Math.max(0, Math.floor(Math.min(ay, ay + dy) - radius) - y0);
    const bottom = Math.min(height - 1, Math.ceil(Math.max(ay, ay + dy) + radius) - y0);
    for (let y = top; y <= bottom; y++) {
      for (let x = left; x <= right; x++) {
        const px = x0 + x + 0.5 - ax;
        const py = y0 + y + 0.5 - ay;
        const t = square > 0 ? Math.max(0, Math.min(1, (px * dx + py * dy) / square)) : 0;
        const ex = px - t * dx;
        const ey = py - t * dy;
        if (ex * ex + ey * ey <= radius * radius) mask[y * width + x] = 1;
      }
    }
  }
  return region;
}

/** An empty region around a path, with a margin, cut to the picture. */
function emptyRegion(path: ScreenPath, margin: number, pictureWidth: number, pictureHeight: number): ScreenRegion {
  let [left, top, right, bottom] = [Infinity, Infinity, -Infinity, -Infinity];
  for (let i = 0; i + 1 < path.length; i += 2) {
    left = Math.min(left, path[i]);
    right = Math.max(right, path[i]);
    top = Math.min(top, path[i + 1]);
    bottom = Math.max(bottom, path[i + 1]);
  }
  const x0 = Math.max(0, Math.floor(left - margin));
  const y0 = Math.max(0, Math.floor(top - margin));
  const width = Math.max(0, Math.min(pictureWidth, Math.ceil(right + margin)) - x0) || 0;
  const height = Math.max(0, Math.min(pictureHeight, Math.ceil(bottom + margin)) - y0) || 0;
  return { x0, y0, width, height, mask: new Uint8Array(width * height) };
}
