import type { Intrinsics } from '../geometry/depth-frame.js';
import { quickSrgbOfLight } from '../geometry/srgb.js';
import { colorReader } from '../geometry/surface-colors.js';
import { vertexNormals, type ColorImage, type TexturedMesh, type TriangleMesh } from '../geometry/triangle-mesh.js';
import { invertRigid, type Mat4 } from '../math/mat4.js';
import { rasterizeDepth, type DepthRaster } from '../mesh/rasterize.js';

/** A camera and where it stands: the sensor looks along +Z, X right, Y down. */
export interface CameraPlace {
  camera: Intrinsics;
  meshFromSensor: Mat4;
}

/** What a camera sees of a surface. Depth is Z in mm, 0 beside the surface, whose triangle is then -1. */
export interface SurfacePicture extends DepthRaster {
  image: ColorImage;
}

/** A surface without any colours is shown so (sRGB). */
const CLAY = [186, 170, 142] as const;

/**
 * A picture of a surface through a camera, in its own colours. O(triangles + pixels).
 * @param ground colour beside the surface, sRGB
 * @param lit how bright a place with this unit normal is, as a factor on its colour; without it the colours stay as they are
 */
export function pictureThrough(
  mesh: TriangleMesh | TexturedMesh,
  { camera, meshFromSensor: m }: CameraPlace,
  ground: readonly [number, number, number],
  lit?: (nx: number, ny: number, nz: number) => number,
): SurfacePicture {
  const { width, height, fx, fy, cx, cy } = camera;
  const { depth, triangle } = rasterizeDepth(mesh, invertRigid(m), camera);
  const data = new Uint8Array(3 * width * height);
  const normals = lit ? (mesh.normals ?? vertexNormals(mesh)) : undefined;
  const plain = !('cornerUvs' in mesh) && !mesh.colors;
  const read = colorReader(mesh);
  const light = new Float64Array(3);
  const shares = new Float64Array(3);
  for (let pixel = 0; pixel < width * height; pixel++) {
    const t = triangle[pixel];
    if (t < 0) {
      for (let k = 0; k < 3; k++) data[3 * pixel + k] = ground[k];
      continue;
    }
    const z = depth[pixel];
    const x = (((pixel % width) - cx) / fx) * z;
    const y = ((Math.floor(pixel / width) - cy) / fy) * z;
    cornerShares(
      mesh,
      t,
      m[0] * x + m[4] * y + m[8] * z + m[12],
      m[1] * x + m[5] * y + m[9] * z + m[13],
      m[2] * x + m[6] * y + m[10] * z + m[14],
      shares,
    );
    const brightness = normals && lit ? brightnessAt(mesh.indices, normals, t, shares, lit) : 1;
    light.fill(0);
    if (!plain) read(t, shares[1], shares[2], light);
    for (let k = 0; k < 3; k++) {
      const color = plain ? CLAY[k] : quickSrgbOfLight(light[k]);
      data[3 * pixel + k] = Math.max(0, Math.min(255, Math.round(color * brightness)));
    }
  }
  return { image: { width, height, data }, depth, triangle };
}

function brightnessAt(
  indices: Uint32Array,
  normals: Float32Array,
  t: number,
  shares: Float64Array,
  lit: (nx: number, ny: number, nz: number) => number,
): number {
  let nx = 0;
  let ny = 0;
  let nz = 0;
  for (let k = 0; k < 3; k++) {
    const v = 3 * indices[3 * t + k];
    nx += shares[k] * normals[v];
    ny += shares[k] * normals[v + 1];
    nz += shares[k] * normals[v + 2];
  }
  const l = Math.hypot(nx, ny, nz) || 1;
  return lit(nx / l, ny / l, nz / l);
}

/** Shares of a triangle's corners at a place on it, held within it. */
function cornerShares(mesh: TriangleMesh, t: number, x: number, y: number, z: number, out: Float64Array): void {
  const { positions: p, indices } = mesh;
  const a = 3 * indices[3 * t];
  const b = 3 * indices[3 * t + 1];
  const c = 3 * indices[3 * t + 2];
  const [ux, uy, uz] = [p[b] - p[a], p[b + 1] - p[a + 1], p[b + 2] - p[a + 2]];
  const [vx, vy, vz] = [p[c] - p[a], p[c + 1] - p[a + 1], p[c + 2] - p[a + 2]];
  const [wx, wy, wz] = [x - p[a], y - p[a + 1], z - p[a + 2]];
  const uu = ux * ux + uy * uy + uz * uz;
  const uv = ux * vx + uy * vy + uz * vz;
  const vv = vx * vx + vy * vy + vz * vz;
  const wu = wx * ux + wy * uy + wz * uz;
  const wv = wx * vx + wy * vy + wz * vz;
  const det = uu * vv - uv * uv || 1e-12;
  const second = Math.max(0, Math.min(1, (vv * wu - uv * wv) / det));
  const third = Math.max(0, Math.min(1 - second, (uu * wv - uv * wu) / det));
  out[0] = 1 - second - third;
  out[1] = second;
  out[2] = third;
}
