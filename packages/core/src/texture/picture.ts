import { boundsOf } from '../geometry/point-cloud.js';
import type { ColorImage, TexturedMesh, TriangleMesh } from '../geometry/triangle-mesh.js';
import { vertexNormals } from '../geometry/triangle-mesh.js';
import { invertRigid, lookAt, type Vec3 } from '../math/mat4.js';
import { rasterizeDepth } from '../mesh/rasterize.js';

/** The first picture looks at a corner of the object, which shows more of it than a side. */
const FIRST_LOOK = 0.7;

/**
 * Turntable pictures of a surface, side by side in one strip: `views` pictures of `size`² pixels on a plain ground,
 * softly lit, in the map's or the vertices' colours, invented surface included. O(views · (triangles + pixels)).
 */
export function renderTurntable(
  mesh: TriangleMesh | TexturedMesh,
  size: number,
  views: number,
  ground: [number, number, number],
): ColorImage {
  const data = new Uint8Array(3 * size * size * views);
  const shown = { ...mesh, normals: mesh.normals ?? vertexNormals(mesh) };
  for (let view = 0; view < views; view++) {
    const { data: picture } = renderFrom(shown, size, (2 * Math.PI * view) / views, ground);
    for (let row = 0; row < size; row++)
      data.set(picture.subarray(3 * row * size, 3 * (row + 1) * size), 3 * (row * size * views + view * size));
  }
  return { width: size * views, height: size, data };
}

/**
 * One picture of a surface, `size`² pixels, from a little above.
 * @param aroundRad how far the eye has gone round, counter-clockwise seen from above
 */
export function renderFrom(
  mesh: TriangleMesh | TexturedMesh,
  size: number,
  aroundRad: number,
  ground: [number, number, number],
): ColorImage {
  const { min, max } = boundsOf(mesh.positions);
  const middle: Vec3 = [(min[0] + max[0]) / 2, (min[1] + max[1]) / 2, (min[2] + max[2]) / 2];
  const radius = Math.hypot(max[0] - min[0], max[1] - min[1], max[2] - min[2]) / 2 || 1;
  const normals = mesh.normals ?? vertexNormals(mesh);
  const data = new Uint8Array(3 * size * size);
  const focal = 2.6 * size;
  const camera = { width: size, height: size, fx: focal, fy: focal, cx: (size - 1) / 2, cy: (size - 1) / 2 };
  const distance = 2.6 * 2.15 * radius;
  const textured = 'cornerUvs' in mesh ? mesh : undefined;
  const around = aroundRad + FIRST_LOOK;
  const eye: Vec3 = [
    middle[0] + distance * Math.cos(around) * Math.cos(0.35),
    middle[1] + distance * Math.sin(around) * Math.cos(0.35),
    middle[2] + distance * Math.sin(0.35),
  ];
  const sensorFromMesh = invertRigid(lookAt(eye, middle, [0, 0, 1]));
  const { depth, triangle } = rasterizeDepth(mesh, sensorFromMesh, camera);
  const m = invertRigid(sensorFromMesh);
  for (let v = 0; v < size; v++) {
    for (let u = 0; u < size; u++) {
      const at = 3 * (v * size + u);
      const t = triangle[v * size + u];
      if (t < 0) {
        data.set(ground, at);
        continue;
      }
      const z = depth[v * size + u];
      const sx = ((u - camera.cx) / focal) * z;
      const sy = ((v - camera.cy) / focal) * z;
      const w = barycentric(
        mesh,
        t,
        m[0] * sx + m[4] * sy + m[8] * z + m[12],
        m[1] * sx + m[5] * sy + m[9] * z + m[13],
        m[2] * sx + m[6] * sy + m[10] * z + m[14],
      );
      const n = [0, 0, 0];
      const color = [186, 170, 142];
      const ids = [mesh.indices[3 * t], mesh.indices[3 * t + 1], mesh.indices[3 * t + 2]];
      for (let k = 0; k < 3; k++) {
        n[k] = w[0] * normals[3 * ids[0] + k] + w[1] * normals[3 * ids[1] + k] + w[2] * normals[3 * ids[2] + k];
        if (!textured && mesh.colors) {
          color[k] =
            w[0] * mesh.colors[3 * ids[0] + k] +
            w[1] * mesh.colors[3 * ids[1] + k] +
            w[2] * mesh.colors[3 * ids[2] + k];
        }
      }
      if (textured) {
        const q = textured.cornerUvs;
        const tu = w[0] * q[6 * t] + w[1] * q[6 * t + 2] + w[2] * q[6 * t + 4];
        const tv = w[0] * q[6 * t + 1] + w[1] * q[6 * t + 3] + w[2] * q[6 * t + 5];
        const x = Math.max(0, Math.min(textured.texture.width - 1, Math.floor(tu * textured.texture.width)));
        const y = Math.max(0, Math.min(textured.texture.height - 1, Math.floor((1 - tv) * textured.texture.height)));
        for (let k = 0; k < 3; k++) color[k] = textured.texture.data[3 * (y * textured.texture.width + x) + k];
      }
      const l = Math.hypot(n[0], n[1], n[2]) || 1;
      const toEye = [eye[0] - middle[0], eye[1] - middle[1], eye[2] - middle[2]].map((c) => c / distance);
      const facing = Math.abs((n[0] * toEye[0] + n[1] * toEye[1] + n[2] * toEye[2]) / l);
      const above = Math.max(0, n[2] / l);
      const light = Math.min(1.05, 0.42 + 0.5 * facing + 0.16 * above);
      for (let k = 0; k < 3; k++) data[at + k] = Math.max(0, Math.min(255, Math.round(color[k] * light)));
    }
  }
  return { width: size, height: size, data };
}

function barycentric(mesh: TriangleMesh, t: number, x: number, y: number, z: number): [number, number, number] {
  const p = mesh.positions;
  const a = 3 * mesh.indices[3 * t];
  const b = 3 * mesh.indices[3 * t + 1];
  const c = 3 * mesh.indices[3 * t + 2];
  const v0 = [p[b] - p[a], p[b + 1] - p[a + 1], p[b + 2] - p[a + 2]];
  const v1 = [p[c] - p[a], p[c + 1] - p[a + 1], p[c + 2] - p[a + 2]];
  const v2 = [x - p[a], y - p[a + 1], z - p[a + 2]];
  const dot = (i: number[], j: number[]): number => i[0] * j[0] + i[1] * j[1] + i[2] * j[2];
  const d00 = dot(v0, v0);
  const d01 = dot(v0, v1);
  const d11 = dot(v1, v1);
  const d20 = dot(v2, v0);
  const d21 = dot(v2, v1);
  const det = d00 * d11 - d01 * d01 || 1e-12;
  const v = Math.max(0, Math.min(1, (d11 * d20 - d01 * d21) / det));
  const w = Math.max(0, Math.min(1 - v, (d00 * d21 - d01 * d20) / det));
  return [1 - v - w, v, w];
}
