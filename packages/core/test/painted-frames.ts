import { LIGHT_OF_SRGB, srgbOfLight, vertexNormals } from '../src/geometry/index.js';
import type { DepthFrame, TriangleMesh } from '../src/geometry/index.js';
import { invertRigid, lookAt, multiply, type Mat4, type Vec3 } from '../src/math/index.js';
import { rasterizeDepth } from '../src/mesh/index.js';

/** Light (three channels) that a place sends to an eye. */
export type Shade = (place: Vec3, normal: Vec3, eye: Vec3, frame: number) => number[];

const CAMERA = { width: 200, height: 200, fx: 400, fy: 400, cx: 99.5, cy: 99.5 };

/** Depth and colour frames of a body near the origin, each as it looks from one place. `shake` moves the pose that is told. */
export function paintedFrames(
  mesh: TriangleMesh,
  eyes: readonly Vec3[],
  shade: Shade,
  shake: (frame: number) => Mat4 | undefined = () => undefined,
): DepthFrame[] {
  const normals = vertexNormals(mesh);
  return eyes.map((eye, i) => {
    const pose = lookAt(eye, [0, 0, 0], [0.1, 0.05, 1]);
    const { depth, triangle } = rasterizeDepth(mesh, invertRigid(pose), CAMERA);
    const data = new Uint8Array(3 * depth.length);
    for (let p = 0; p < depth.length; p++) {
      const z = depth[p];
      if (!(z > 0)) continue;
      const sx = (((p % CAMERA.width) - CAMERA.cx) / CAMERA.fx) * z;
      const sy = ((Math.floor(p / CAMERA.width) - CAMERA.cy) / CAMERA.fy) * z;
      const at = [0, 1, 2].map((k) => pose[k] * sx + pose[4 + k] * sy + pose[8 + k] * z + pose[12 + k]) as Vec3;
      const v = 3 * mesh.indices[3 * triangle[p]];
      const light = shade(at, [normals[v], normals[v + 1], normals[v + 2]], eye, i);
      for (let k = 0; k < 3; k++) data[3 * p + k] = Math.round(srgbOfLight(light[k]));
    }
    const told = shake(i);
    return {
      name: `f${i}`,
      camera: CAMERA,
      depth,
      scanFromSensor: told ? multiply(pose, told) : pose,
      color: { camera: CAMERA, image: { width: CAMERA.width, height: CAMERA.height, data } },
    };
  });
}

/** Eyes around the origin: `count` on each of three heights, and both poles. */
export function eyesAround(count: number, distance: number): Vec3[] {
  const out: Vec3[] = [
    [0, 1, distance],
    [0, 1, -distance],
  ];
  for (const height of [-0.6, 0, 0.6]) {
    const ring = Math.sqrt(1 - height * height) * distance;
    for (let i = 0; i < count; i++) {
      const a = (2 * Math.PI * (i + height)) / count;
      out.push([ring * Math.cos(a), ring * Math.sin(a), height * distance]);
    }
  }
  return out;
}

/** Light of a coloured map at the middle of each triangle, three channels, and those middles. */
export function lightOnTriangles(mesh: {
  positions: Float32Array;
  indices: Uint32Array;
  cornerUvs: Float32Array;
  texture: { width: number; height: number; data: Uint8Array };
}): { light: Float64Array; middles: Vec3[] } {
  const { width, height, data } = mesh.texture;
  const m = mesh.indices.length / 3;
  const light = new Float64Array(3 * m);
  const middles: Vec3[] = [];
  for (let t = 0; t < m; t++) {
    const q = mesh.cornerUvs.subarray(6 * t, 6 * t + 6);
    const u = Math.floor(((q[0] + q[2] + q[4]) / 3) * width);
    const v = Math.floor((1 - (q[1] + q[3] + q[5]) / 3) * height);
    for (let k = 0; k < 3; k++) light[3 * t + k] = LIGHT_OF_SRGB[data[3 * (v * width + u) + k]];
    middles.push(
      [0, 1, 2].map((k) =>
        [0, 1, 2].reduce((s, c) => s + mesh.positions[3 * mesh.indices[3 * t + c] + k] / 3, 0),
      ) as Vec3,
    );
  }
  return { light, middles };
}
