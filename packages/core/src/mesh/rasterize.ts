import type { Intrinsics } from '../geometry/depth-frame.js';
import type { TriangleMesh } from '../geometry/triangle-mesh.js';
import type { Mat4 } from '../math/mat4.js';

/** What a pinhole camera sees of a mesh: per pixel depth along Z (mm, 0 = nothing) and triangle (-1 = nothing). */
export interface DepthRaster {
  depth: Float32Array;
  triangle: Int32Array;
}

/**
 * Renders a mesh's depth by scan conversion with exact (perspective) interpolation at pixel centres; both sides of
 * triangles count. Triangles that reach behind the camera are left out. O(triangles + covered pixels).
 * Source: J. Pineda (1988), A parallel algorithm for polygon rasterization (edge functions).
 */
export function rasterizeDepth(mesh: TriangleMesh, sensorFromMesh: Mat4, camera: Intrinsics): DepthRaster {
  const { width, height, fx, fy, cx, cy } = camera;
  const depth = new Float32Array(width * height);
  const triangle = new Int32Array(width * height).fill(-1);
  const { positions: p, indices } = mesh;
  const n = p.length / 3;
  const sx = new Float32Array(n);
  const sy = new Float32Array(n);
  const sz = new Float32Array(n);
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
    const x0 = Math.max(0, Math.ceil(Math.min(sx[a], sx[b], sx[c])));
    const x1 = Math.min(width - 1, Math.floor(Math.max(sx[a], sx[b], sx[c])));
    const y0 = Math.max(0, Math.ceil(Math.min(sy[a], sy[b], sy[c])));
    const y1 = Math.min(height - 1, Math.floor(Math.max(sy[a], sy[b], sy[c])));
    if (x0 > x1 || y0 > y1) continue;
    const area = (sx[b] - sx[a]) * (sy[c] - sy[a]) - (sx[c] - sx[a]) * (sy[b] - sy[a]);
    if (area === 0) continue;
    const inverse = 1 / area;
    const ia = 1 / sz[a];
    const ib = 1 / sz[b];
    const ic = 1 / sz[c];
    for (let y = y0; y <= y1; y++) {
      for (let x = x0; x <= x1; x++) {
        const u = ((sx[b] - x) * (sy[c] - y) - (sx[c] - x) * (sy[b] - y)) * inverse;
        const v = ((sx[c] - x) * (sy[a] - y) - (sx[a] - x) * (sy[c] - y)) * inverse;
        const w = 1 - u - v;
        if (u < 0 || v < 0 || w < 0) continue;
        const z = 1 / (u * ia + v * ib + w * ic);
        const at = y * width + x;
        if (depth[at] === 0 || z < depth[at]) {
          depth[at] = z;
          triangle[at] = t / 3;
        }
      }
    }
  }
  return { depth, triangle };
}
