import { changedFrame, type DepthFrame } from '../geometry/depth-frame.js';
import type { Vec3 } from '../math/mat4.js';
import { GeometryError } from '../runtime/geometry-error.js';

/**
 * The place that a frame's middle looks at, in the scan's frame: its middle depth over the middle fifth of the picture.
 * @throws GeometryError `empty-input` if nothing is measured there
 */
export function aimedAt({ camera, depth, scanFromSensor: m }: DepthFrame): Vec3 {
  const { width, height } = camera;
  const middle: number[] = [];
  for (let v = Math.floor(0.4 * height); v < 0.6 * height; v++) {
    for (let u = Math.floor(0.4 * width); u < 0.6 * width; u++)
      if (depth[v * width + u] > 0) middle.push(depth[v * width + u]);
  }
  if (middle.length === 0) {
    throw new GeometryError(
      'empty-input',
      'The first frame measures nothing in its middle. Begin by aiming at the object.',
    );
  }
  const z = middle.sort((a, b) => a - b)[middle.length >> 1];
  const x = (((width - 1) / 2 - camera.cx) / camera.fx) * z;
  const y = (((height - 1) / 2 - camera.cy) / camera.fy) * z;
  return [0, 1, 2].map((k) => m[k] * x + m[4 + k] * y + m[8 + k] * z + m[12 + k]) as Vec3;
}

/** Frames without the depths that lie farther than `radius` (mm) from a place. O(pixels). */
export function cropFrames(frames: readonly DepthFrame[], [x, y, z]: Vec3, radius: number): DepthFrame[] {
  return frames.map((f) => {
    const { camera, scanFromSensor: m } = f;
    const depth = f.depth.slice();
    for (let v = 0, i = 0; v < camera.height; v++) {
      for (let u = 0; u < camera.width; u++, i++) {
        const d = depth[i];
        if (!(d > 0)) continue;
        const px = ((u - camera.cx) / camera.fx) * d;
        const py = ((v - camera.cy) / camera.fy) * d;
        const dx = m[0] * px + m[4] * py + m[8] * d + m[12] - x;
        const dy = m[1] * px + m[5] * py + m[9] * d + m[13] - y;
        const dz = m[2] * px + m[6] * py + m[10] * d + m[14] - z;
        if (dx * dx + dy * dy + dz * dz > radius * radius) depth[i] = 0;
      }
    }
    return changedFrame(f, { depth });
  });
}
