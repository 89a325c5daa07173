import type { LightModel } from '../geometry/light-model.js';
import { vertexCount, vertexNormals, type TriangleMesh } from '../geometry/triangle-mesh.js';
import { normalize3, type Vec3 } from '../math/mat4.js';
import { TriangleBvh, type SurfaceHit } from '../spatial/triangle-bvh.js';

/** So many places of the dense surface are looked at. */
const PLACES = 50_000;

/**
 * Mean angle between the normals that a light model shows and those of the dense surface, at places spread over the dense one,
 * radians. O(m log m).
 * @param withMap false leaves the map of normals away
 */
export function normalsOff(dense: TriangleMesh, model: LightModel, withMap = true): number {
  const normals = dense.normals ?? vertexNormals(dense);
  const bvh = new TriangleBvh(model);
  const hit: SurfaceHit = { triangle: 0, squaredDistance: 0, x: 0, y: 0, z: 0, v: 0, w: 0 };
  const n = vertexCount(dense);
  const step = Math.max(1, Math.floor(n / PLACES));
  let sum = 0;
  let count = 0;
  for (let v = 0; v < n; v += step) {
    const [x, y, z] = dense.positions.subarray(3 * v, 3 * v + 3);
    bvh.closest(x, y, z, Infinity, hit);
    const shown = shownNormal(model, hit, withMap);
    const dot = shown[0] * normals[3 * v] + shown[1] * normals[3 * v + 1] + shown[2] * normals[3 * v + 2];
    sum += Math.acos(Math.max(-1, Math.min(1, dot)));
    count++;
  }
  return count > 0 ? sum / count : 0;
}

/** The normal that a reader of glTF 2.0 shows at a place: that of the map in the frame of tangent, bitangent and normal. */
function shownNormal(model: LightModel, { triangle: t, v, w }: SurfaceHit, withMap: boolean): Vec3 {
  const share = [1 - v - w, v, w];
  const between = (of: (corner: number, k: number) => number, k: number): number =>
    share[0] * of(0, k) + share[1] * of(1, k) + share[2] * of(2, k);
  const mix = (of: (corner: number, k: number) => number): Vec3 =>
    normalize3([between(of, 0), between(of, 1), between(of, 2)]);
  const up = mix((c, k) => model.normals[3 * model.indices[3 * t + c] + k]);
  const map = model.maps.find((m) => m.kind === 'normal');
  if (!withMap || !map) return up;
  const along = mix((c, k) => model.cornerTangents[12 * t + 4 * c + k]);
  const sign = model.cornerTangents[12 * t + 3];
  const across = normalize3([
    sign * (up[1] * along[2] - up[2] * along[1]),
    sign * (up[2] * along[0] - up[0] * along[2]),
    sign * (up[0] * along[1] - up[1] * along[0]),
  ]);
  const { width, height, data } = map;
  const uv = (k: number): number => between((c) => model.cornerUvs[6 * t + 2 * c + k], k);
  const column = Math.max(0, Math.min(width - 1, Math.floor(uv(0) * width)));
  const row = Math.max(0, Math.min(height - 1, Math.floor((1 - uv(1)) * height)));
  const at = 3 * (row * width + column);
  const [x, y, z] = [data[at] / 127.5 - 1, data[at + 1] / 127.5 - 1, data[at + 2] / 127.5 - 1];
  return normalize3([0, 1, 2].map((k) => x * along[k] + y * across[k] + z * up[k]) as Vec3);
}
