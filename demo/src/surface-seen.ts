import type { Intrinsics, TriangleMesh } from '@amber-knit/core/geometry';
import { vertexNormals } from '@amber-knit/core/geometry';
import { invertRigid, type Mat4 } from '@amber-knit/core/math';
import { rasterizeDepth } from '@amber-knit/core/mesh';
import type { Material } from './material.js';

/** What stands in front of a simulated camera, in the world frame of one setup. */
export interface SimulatedScene {
  mesh: TriangleMesh;
  /** sRGB at a world point of a triangle. */
  color: (x: number, y: number, z: number, triangle: number) => readonly [number, number, number];
  material: (triangle: number) => Material;
  /** The same without clear parts, if there are any: what is seen through them. Triangles keep their numbers by `from`. */
  behindClear?: { mesh: TriangleMesh; from: Int32Array };
}

/** Per pixel of a camera: what it sees, before any light or noise. */
export interface SurfaceSeen {
  camera: Intrinsics;
  /** mm along Z; 0 where nothing is seen. */
  depth: Float32Array;
  /** -1 where nothing is seen. */
  triangle: Int32Array;
  /** Cosine of the incidence, from smooth normals. */
  cosine: Float32Array;
  /** sRGB of the surface itself, 3 a pixel. */
  rgb: Uint8ClampedArray;
}

/**
 * Looks at a scene: one pass over the triangles, one over the pixels. What only depends on the place (normal, paint) is
 * found here once for all sensors that share the camera. O(triangles + pixels).
 */
export function lookAtScene(scene: SimulatedScene, worldFromSensor: Mat4, camera: Intrinsics): SurfaceSeen {
  return lookAtMesh(scene, scene.mesh, worldFromSensor, camera);
}

/** The same with clear parts taken away; undefined where a scene has none. */
export function lookThrough(scene: SimulatedScene, worldFromSensor: Mat4, camera: Intrinsics): SurfaceSeen | undefined {
  const { behindClear } = scene;
  if (!behindClear) return undefined;
  const { mesh, from } = behindClear;
  const color: SimulatedScene['color'] = (x, y, z, t) => scene.color(x, y, z, from[t]);
  const seen = lookAtMesh({ ...scene, color }, mesh, worldFromSensor, camera);
  for (let i = 0; i < seen.triangle.length; i++) if (seen.triangle[i] >= 0) seen.triangle[i] = from[seen.triangle[i]];
  return seen;
}

function lookAtMesh(scene: SimulatedScene, mesh: TriangleMesh, m: Mat4, camera: Intrinsics): SurfaceSeen {
  const { width, height } = camera;
  const s = invertRigid(m);
  const { depth, triangle } = rasterizeDepth(mesh, s, camera, true);
  const normals = faceNormalsOf(mesh);
  const cosine = new Float32Array(width * height);
  const rgb = new Uint8ClampedArray(3 * width * height);
  for (let v = 0; v < height; v++) {
    const ry = (v - camera.cy) / camera.fy;
    for (let u = 0; u < width; u++) {
      const i = v * width + u;
      const t = triangle[i];
      if (t < 0) continue;
      const z = depth[i];
      const rx = (u - camera.cx) / camera.fx;
      // The ray in the world, so that the normals need no turning.
      const wx = m[0] * rx + m[4] * ry + m[8];
      const wy = m[1] * rx + m[5] * ry + m[9];
      const wz = m[2] * rx + m[6] * ry + m[10];
      const facing = normals[3 * t] * wx + normals[3 * t + 1] * wy + normals[3 * t + 2] * wz;
      cosine[i] = Math.abs(facing) / Math.sqrt(rx * rx + ry * ry + 1);
      const c = scene.color(wx * z + m[12], wy * z + m[13], wz * z + m[14], t);
      rgb[3 * i] = c[0];
      rgb[3 * i + 1] = c[1];
      rgb[3 * i + 2] = c[2];
    }
  }
  return { camera, depth, triangle, cosine, rgb };
}

const known = new WeakMap<TriangleMesh, Float32Array>();

/** A smooth normal for each triangle: the mean of its vertices' (area-weighted) normals; found once a mesh. */
export function faceNormalsOf(mesh: TriangleMesh): Float32Array {
  const before = known.get(mesh);
  if (before) return before;
  const { indices } = mesh;
  const n = vertexNormals(mesh);
  const out = new Float32Array(indices.length);
  for (let t = 0; t < indices.length; t += 3) {
    const [a, b, c] = [3 * indices[t], 3 * indices[t + 1], 3 * indices[t + 2]];
    const x = n[a] + n[b] + n[c];
    const y = n[a + 1] + n[b + 1] + n[c + 1];
    const z = n[a + 2] + n[b + 2] + n[c + 2];
    const l = Math.hypot(x, y, z) || 1;
    out[t] = x / l;
    out[t + 1] = y / l;
    out[t + 2] = z / l;
  }
  known.set(mesh, out);
  return out;
}
