import { cross3, multiply, normalize3, screwOf, transformPoint, type Mat4, type Vec3 } from '@amber-knit/core/math';
import type { CloudSample } from './cloud-samples';

/** One scan in a picture of a place. */
export interface DrawnScan {
  sample: CloudSample;
  pieceFromScan: Mat4;
  /** Drawn in its own colours; the others are pale. */
  moving: boolean;
}

/** Colour of points without one, and what the others fade to. */
const BARE = [141, 132, 113];
const PALE = [214, 205, 190];

/**
 * A small picture of scans as points, nearer ones before farther ones, seen along the axis of the motion in question (all
 * that turns is then seen to turn), else from the front and above. RGBA, row by row; empty pixels are clear. O(points).
 */
export function drawPlace(
  scans: readonly DrawnScan[],
  motion: Mat4,
  width: number,
  height: number,
): Uint8ClampedArray<ArrayBuffer> {
  const screw = screwOf(motion);
  let away: Vec3 = screw ? screw.axis.direction : [0.35, 0.8, -0.5];
  // From above rather than from below.
  if (away[2] > 0) away = [-away[0], -away[1], -away[2]];
  away = normalize3(away);
  const right = normalize3(cross3(away, Math.abs(away[2]) > 0.9 ? [0, 1, 0] : [0, 0, 1]));
  const down = cross3(away, right);

  const flat = scans.map(({ sample, pieceFromScan }) => {
    const out = new Float32Array(sample.positions.length);
    for (let i = 0; i < out.length; i += 3) {
      const p = transformPoint(pieceFromScan, sample.positions[i], sample.positions[i + 1], sample.positions[i + 2]);
      out[i] = right[0] * p[0] + right[1] * p[1] + right[2] * p[2];
      out[i + 1] = down[0] * p[0] + down[1] * p[1] + down[2] * p[2];
      out[i + 2] = away[0] * p[0] + away[1] * p[1] + away[2] * p[2];
    }
    return out;
  });
  const low = [Infinity, Infinity];
  const high = [-Infinity, -Infinity];
  for (const p of flat) {
    for (let i = 0; i < p.length; i += 3) {
      for (let k = 0; k < 2; k++) {
        low[k] = Math.min(low[k], p[i + k]);
        high[k] = Math.max(high[k], p[i + k]);
      }
    }
  }
  const scale = 0.94 * Math.min(width / (high[0] - low[0] || 1), height / (high[1] - low[1] || 1));
  const depth = new Float32Array(width * height).fill(Infinity);
  const image = new Uint8ClampedArray(4 * width * height);
  scans.forEach(({ sample, moving }, s) => {
    const p = flat[s];
    for (let i = 0; i < p.length; i += 3) {
      const x = Math.round(width / 2 + scale * (p[i] - (low[0] + high[0]) / 2));
      const y = Math.round(height / 2 + scale * (p[i + 1] - (low[1] + high[1]) / 2));
      // The moving scans win where both lie on one surface.
      const z = p[i + 2] - (moving ? 1 : 0);
      for (const [dx, dy] of SPLAT) {
        const at = (y + dy) * width + x + dx;
        if (x + dx < 0 || x + dx >= width || y + dy < 0 || y + dy >= height || z >= depth[at]) continue;
        depth[at] = z;
        for (let k = 0; k < 3; k++) {
          const own = sample.colors ? sample.colors[i + k] : BARE[k];
          image[4 * at + k] = moving ? own : 0.2 * own + 0.8 * PALE[k];
        }
        image[4 * at + 3] = 255;
      }
    }
  });
  return image;
}

const SPLAT = [
  [0, 0],
  [1, 0],
  [0, 1],
  [1, 1],
];

/** Where a scan would be with a motion of the piece applied to it. */
export const movedBy = (motion: readonly number[], pieceFromScan: readonly number[]): Mat4 =>
  multiply(Float64Array.from(motion), Float64Array.from(pieceFromScan));
