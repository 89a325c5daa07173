import type { DepthFrame } from '../geometry/depth-frame.js';

/** Pixels looked at in each frame, about. */
const PIXELS = 4000;
/** Cells of surface are so many of the gaps between those pixels wide. */
const CELL = 3;
/** Cells are counted from the first one met, this far to each side. */
const REACH = 1 << 16;

/**
 * How the surface that a scan sees grew while it was taken: the share of it (0–1) that had been seen up to each of at most
 * `steps` places along its frames, the last of which is 1. Surface is counted in cells of space. Empty for fewer than two
 * frames, or if they measured nothing. O(frames).
 */
export function coverageGrowth(frames: readonly DepthFrame[], steps = 24): number[] {
  if (frames.length < 2) return [];
  const { width, height, fx } = frames[0].camera;
  const stride = Math.max(1, Math.floor(Math.sqrt((width * height) / PIXELS)));
  const cell = (CELL * stride * medianDepth(frames[0].depth)) / fx;
  if (!(cell > 0)) return [];
  const seen = new Set<number>();
  const counts = frames.map((frame) => {
    addCells(frame, stride, cell, seen);
    return seen.size;
  });
  const n = Math.min(steps, counts.length);
  return Array.from({ length: n }, (_, k) => counts[Math.ceil(((k + 1) * counts.length) / n) - 1] / seen.size);
}

function addCells(frame: DepthFrame, stride: number, cell: number, seen: Set<number>): void {
  const { camera: c, depth, scanFromSensor: m } = frame;
  for (let v = 0; v < c.height; v += stride) {
    for (let u = 0; u < c.width; u += stride) {
      const z = depth[v * c.width + u];
      if (!(z > 0)) continue;
      const x = ((u - c.cx) / c.fx) * z;
      const y = ((v - c.cy) / c.fy) * z;
      let key = 0;
      for (let k = 0; k < 3; k++) {
        const at = Math.floor((m[k] * x + m[4 + k] * y + m[8 + k] * z + m[12 + k]) / cell);
        key = key * 2 * REACH + Math.max(0, Math.min(2 * REACH - 1, at + REACH));
      }
      seen.add(key);
    }
  }
}

function medianDepth(depth: Float32Array): number {
  const measured = depth.filter((z) => z > 0).sort();
  return measured[measured.length >> 1] ?? 0;
}
