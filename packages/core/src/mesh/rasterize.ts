import type { Intrinsics } from '../geometry/depth-frame.js';
import type { TriangleMesh } from '../geometry/triangle-mesh.js';
import type { Mat4 } from '../math/mat4.js';

/** What a pinhole camera sees of a mesh: per pixel depth along Z (mm, 0 = nothing) and triangle (-1 = nothing). */
export interface DepthRaster {
  depth: Float32Array;
  triangle: Int32Array;
}

/** Picture coordinates and depth of the vertices of the mesh at hand; grows, is never given back. */
let scratch = new Float32Array(0);

/**
 * Renders a mesh's depth by scan conversion with exact (perspective) interpolation at pixel centres; both sides of
 * triangles count, or with `frontOnly` the side they run counter-clockwise on: twice as fast, right for closed bodies.
 * Triangles that reach behind the camera are left out. O(triangles + covered pixels).
 * Source: J. Pineda (1988), A parallel algorithm for polygon rasterization (edge functions).
 */
export function rasterizeDepth(
  mesh: TriangleMesh,
  sensorFromMesh: Mat4,
  camera: Intrinsics,
  frontOnly = false,
): DepthRaster {
  const { width, height, fx, fy, cx, cy } = camera;
  const depth = new Float32Array(width * height);
  const triangle = new Int32Array(width * height).fill(-1);
  const { positions: p, indices } = mesh;
  const n = p.length / 3;
  if (scratch.length < 3 * n) scratch = new Float32Array(3 * n);
  const sx = scratch.subarray(0, n);
  const sy = scratch.subarray(n, 2 * n);
  const sz = scratch.subarray(2 * n, 3 * n);
  const m = sensorFromMesh;
  for (let i = 0; i < n; i++) {
    const x = p[3 * i];
    const y = p[3 * i + 1];
    const z = p[3 * i + 2];
    const w = m[2] * x + m[6] * y + m[10] * z + m[14];
    sz[i] = w;
    sx[i] = (fx * (m[0] * x + m[4] * y + m[8] * z + m[12])) / w + cx;
    sy[i] = (fy * (m[1] * x + m[5] * y + m[9] * z + m[13])) / w + cy;
  }
  for (let t = 0; t < indices.length; t += 3) {
    const a = indices[t];
    const b = indices[t + 1];
    const c = indices[t + 2];
    if (!(sz[a] > 1e-3 && sz[b] > 1e-3 && sz[c] > 1e-3)) continue;
    const ax = sx[a];
    const ay = sy[a];
    const bx = sx[b];
    const by = sy[b];
    const gx = sx[c];
    const gy = sy[c];
    const area = (bx - ax) * (gy - ay) - (gx - ax) * (by - ay);
    // With Y down, the front runs clockwise in the picture's own axes: its area is negative.
    if (area === 0 || (frontOnly && area > 0)) continue;
    const x0 = Math.max(0, Math.ceil(Math.min(ax, bx, gx)));
    const x1 = Math.min(width - 1, Math.floor(Math.max(ax, bx, gx)));
    const y0 = Math.max(0, Math.ceil(Math.min(ay, by, gy)));
    const y1 = Math.min(height - 1, Math.floor(Math.max(ay, by, gy)));
    if (x0 > x1 || y0 > y1) continue;
    // Both edge functions and 1/z are linear over the picture: value at the corner of the box, then steps.
    const inverse = 1 / area;
    const ux = (by - gy) * inverse;
    const uy = (gx - bx) * inverse;
    const vx = (gy - ay) * inverse;
    const vy = (ax - gx) * inverse;
    const ic = 1 / sz[c];
    const da = 1 / sz[a] - ic;
    const db = 1 / sz[b] - ic;
    let uRow = ((bx - x0) * (gy - y0) - (gx - x0) * (by - y0)) * inverse;
    let vRow = ((gx - x0) * (ay - y0) - (ax - x0) * (gy - y0)) * inverse;
    for (let y = y0; y <= y1; y++, uRow += uy, vRow += vy) {
      let u = uRow;
      let v = vRow;
      for (let x = x0, at = y * width + x0; x <= x1; x++, at++, u += ux, v += vx) {
        if (u < 0 || v < 0 || u + v > 1) continue;
        const z = 1 / (ic + u * da + v * db);
        if (depth[at] === 0 || z < depth[at]) {
          depth[at] = z;
          triangle[at] = t / 3;
        }
      }
    }
  }
  return { depth, triangle };
}
