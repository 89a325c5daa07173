import type { DepthFrame } from '../geometry/depth-frame.js';
import { invertRigid } from '../math/mat4.js';
import type { RunContext } from '../runtime/run-context.js';

/**
 * Which points lie on a surface that at least one of the frames measured: within `tolerance` mm in depth of the pixel
 * that a point falls on, or of one beside it. O(points · frames).
 * @param positions 3n, in the scan's frame
 * @returns n bytes, 1 for a point that is seen
 */
export function seenBy(
  positions: Float32Array,
  frames: readonly DepthFrame[],
  tolerance: number,
  ctx: RunContext,
): Uint8Array {
  const n = positions.length / 3;
  const seen = new Uint8Array(n);
  frames.forEach((frame, f) => {
    ctx.checkpoint(f / frames.length, `Frame ${f + 1} of ${frames.length}`);
    const depthAt = depthIn(frame, tolerance);
    for (let i = 0; i < n; i++) {
      if (!seen[i] && depthAt(positions[3 * i], positions[3 * i + 1], positions[3 * i + 2]) > 0) seen[i] = 1;
    }
  });
  return seen;
}

/**
 * Which of the frames measured each point from nearest by; -1 where none did. As `seenBy`. O(points · frames).
 * @param positions 3n, in the scan's frame
 */
export function nearestFrame(
  positions: Float32Array,
  frames: readonly DepthFrame[],
  tolerance: number,
  ctx: RunContext,
): Int32Array {
  const n = positions.length / 3;
  const best = new Int32Array(n).fill(-1);
  const nearest = new Float32Array(n).fill(Infinity);
  frames.forEach((frame, f) => {
    ctx.checkpoint(f / frames.length, `Frame ${f + 1} of ${frames.length}`);
    const depthAt = depthIn(frame, tolerance);
    for (let i = 0; i < n; i++) {
      const depth = depthAt(positions[3 * i], positions[3 * i + 1], positions[3 * i + 2]);
      if (depth <= 0 || depth >= nearest[i]) continue;
      nearest[i] = depth;
      best[i] = f;
    }
  });
  return best;
}

/** How deep in a frame a point of the scan lies, mm, if the frame measured surface there; else 0. */
function depthIn(frame: DepthFrame, tolerance: number): (x: number, y: number, z: number) => number {
  const m = invertRigid(frame.scanFromSensor);
  const { depth } = frame;
  const { width, height, fx, fy, cx, cy } = frame.camera;
  return (x, y, z) => {
    const zs = m[2] * x + m[6] * y + m[10] * z + m[14];
    if (!(zs > 0)) return 0;
    const u = Math.round((fx * (m[0] * x + m[4] * y + m[8] * z + m[12])) / zs + cx);
    const v = Math.round((fy * (m[1] * x + m[5] * y + m[9] * z + m[13])) / zs + cy);
    for (let q = Math.max(0, v - 1); q <= Math.min(height - 1, v + 1); q++) {
      for (let p = Math.max(0, u - 1); p <= Math.min(width - 1, u + 1); p++) {
        const d = depth[q * width + p];
        if (d > 0 && Math.abs(d - zs) <= tolerance) return zs;
      }
    }
    return 0;
  };
}
