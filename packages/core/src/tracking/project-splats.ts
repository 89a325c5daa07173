import type { Intrinsics } from '../geometry/depth-frame.js';
import { BLOCK } from '../fusion/signed-field.js';
import { invertRigid, type Mat4 } from '../math/mat4.js';
import { forgetOutlines, localContrast, type DepthLevel } from './depth-pyramid.js';
import { SPLATS_PER_BLOCK, type ModelSplats } from './model-splats.js';

/**
 * The live model as a sensor would see it: per pixel the nearest splat that faces the sensor, with its own place and
 * normal (not the pixel's centre, so nothing is rounded). Splats wider than a pixel fill their neighbours too.
 * O(splats in view + pixels).
 */
export function projectSplats(splats: ModelSplats, camera: Intrinsics, pieceFromSensor: Mat4): DepthLevel {
  const { width, height, fx, fy, cx, cy } = camera;
  const n = width * height;
  const points = new Float32Array(3 * n);
  const normals = new Float32Array(3 * n);
  const light = new Float32Array(n).fill(-1);
  const s = invertRigid(pieceFromSensor);
  const { field, count, positions: p, normals: q } = splats;
  const size = field.voxel * BLOCK;
  const radius = (Math.sqrt(3) / 2) * size;
  const focal = Math.max(fx, fy);
  let lit = false;
  for (let b = 0; b < field.blockCount; b++) {
    const total = count[b];
    if (total === 0) continue;
    const bx = (field.coords[3 * b] + 0.5) * size;
    const by = (field.coords[3 * b + 1] + 0.5) * size;
    const bz = (field.coords[3 * b + 2] + 0.5) * size;
    const z = s[2] * bx + s[6] * by + s[10] * bz + s[14];
    if (z < radius) continue;
    const u = (fx * (s[0] * bx + s[4] * by + s[8] * bz + s[12])) / z + cx;
    const v = (fy * (s[1] * bx + s[5] * by + s[9] * bz + s[13])) / z + cy;
    const reach = (focal * radius) / z;
    if (u < -reach || v < -reach || u > width + reach || v > height + reach) continue;
    // Splats lie about a voxel apart: where that is more than a pixel, each covers several.
    const spread = Math.min(2, Math.floor((0.5 * focal * field.voxel) / z + 0.35));
    for (let i = b * SPLATS_PER_BLOCK, end = i + total; i < end; i++) {
      const px = p[3 * i];
      const py = p[3 * i + 1];
      const pz = p[3 * i + 2];
      const sz = s[2] * px + s[6] * py + s[10] * pz + s[14];
      if (sz <= 1) continue;
      const sx = s[0] * px + s[4] * py + s[8] * pz + s[12];
      const sy = s[1] * px + s[5] * py + s[9] * pz + s[13];
      const nx = q[3 * i];
      const ny = q[3 * i + 1];
      const nz = q[3 * i + 2];
      const mx = s[0] * nx + s[4] * ny + s[8] * nz;
      const my = s[1] * nx + s[5] * ny + s[9] * nz;
      const mz = s[2] * nx + s[6] * ny + s[10] * nz;
      if (mx * sx + my * sy + mz * sz >= 0) continue;
      const iu = Math.floor((fx * sx) / sz + cx + 0.5);
      const iv = Math.floor((fy * sy) / sz + cy + 0.5);
      for (let y = iv - spread; y <= iv + spread; y++) {
        if (y < 0 || y >= height) continue;
        for (let x = iu - spread; x <= iu + spread; x++) {
          if (x < 0 || x >= width) continue;
          const k = y * width + x;
          const before = points[3 * k + 2];
          if (before !== 0 && before <= sz) continue;
          points[3 * k] = sx;
          points[3 * k + 1] = sy;
          points[3 * k + 2] = sz;
          normals[3 * k] = mx;
          normals[3 * k + 1] = my;
          normals[3 * k + 2] = mz;
          light[k] = splats.light[i];
          if (light[k] >= 0) lit = true;
        }
      }
    }
  }
  const contrast = lit ? localContrast(light, width, height) : undefined;
  if (contrast) forgetOutlines(contrast, points, 3, width, height);
  return { camera, points, normals, contrast };
}
