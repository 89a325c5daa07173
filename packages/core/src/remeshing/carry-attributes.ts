import { KNOWN_ATTRIBUTES, KNOWN_NAMES } from '../geometry/vertex-knowledge.js';
import { vertexCount, vertexNormals, type TriangleMesh } from '../geometry/triangle-mesh.js';
import type { RunContext } from '../runtime/run-context.js';
import { TriangleBvh, type SurfaceHit } from '../spatial/triangle-bvh.js';

/** A mesh with what its source knows, and how far each of its vertices lies off the source, mm. */
export interface CarriedMesh {
  mesh: TriangleMesh;
  distances: Float32Array;
}

/**
 * Gives each vertex of a mesh what its source knows at the closest place: colour and lengths from the three corners there by
 * their shares, whether and by which scans it was measured from the nearest of them; normals are made anew where the
 * source has some. O(m log m + n log m).
 */
export function carryAttributes(source: TriangleMesh, mesh: TriangleMesh, ctx: RunContext): CarriedMesh {
  const n = vertexCount(mesh);
  const bvh = new TriangleBvh(source);
  ctx.checkpoint(0.4);
  const hit: SurfaceHit = { triangle: 0, squaredDistance: 0, x: 0, y: 0, z: 0, v: 0, w: 0 };
  const distances = new Float32Array(n);
  const out: TriangleMesh = { positions: mesh.positions, indices: mesh.indices };
  if (source.colors) out.colors = new Uint8Array(3 * n);
  const { colors } = source;
  const before = vertexCount(source);
  const known = KNOWN_ATTRIBUTES.flatMap(({ name, array, between }) => {
    const from = source[name];
    if (!from) return [];
    const size = from.length / before;
    const to = new array(size * n);
    Object.assign(out, { [name]: to });
    return [{ from, to, size, isMean: between === 'mean' }];
  });
  for (const names of KNOWN_NAMES) if (source[names]) Object.assign(out, { [names]: source[names] });
  for (let i = 0; i < n; i++) {
    if ((i & 4095) === 0) ctx.checkpoint(0.4 + (0.6 * i) / n);
    bvh.closest(mesh.positions[3 * i], mesh.positions[3 * i + 1], mesh.positions[3 * i + 2], Infinity, hit);
    distances[i] = Math.sqrt(hit.squaredDistance);
    const a = source.indices[3 * hit.triangle];
    const b = source.indices[3 * hit.triangle + 1];
    const c = source.indices[3 * hit.triangle + 2];
    const { v, w } = hit;
    const u = 1 - v - w;
    const nearest = u >= v && u >= w ? a : v >= w ? b : c;
    if (colors)
      for (let k = 0; k < 3; k++)
        out.colors![3 * i + k] = Math.round(u * colors[3 * a + k] + v * colors[3 * b + k] + w * colors[3 * c + k]);
    for (const { from, to, size, isMean } of known) {
      const mean = isMean ? u * from[a] + v * from[b] + w * from[c] : NaN;
      if (mean === mean) to[i] = mean;
      else for (let k = 0; k < size; k++) to[size * i + k] = from[size * nearest + k];
    }
  }
  if (source.normals) out.normals = vertexNormals(out);
  return { mesh: out, distances };
}
