import { KNOWN_ATTRIBUTES, KNOWN_NAMES, type VertexKnowledge } from './vertex-knowledge.js';

/** Triangles over shared vertices, millimetres. `indices` 3m, counter-clockwise seen from outside. */
export interface TriangleMesh extends VertexKnowledge {
  positions: Float32Array;
  indices: Uint32Array;
  normals?: Float32Array;
  colors?: Uint8Array;
}

/** A mesh that knows its vertices' normals. */
export type NormalMesh = TriangleMesh & { normals: Float32Array };

/** A mesh with its map: `uvs` hold two numbers per triangle corner (6m), origin at the lower left of the image. */
export interface TexturedMesh extends TriangleMesh {
  cornerUvs: Float32Array;
  texture: ColorImage;
}

/** 8-bit sRGB picture, rows from the top, 3 bytes a pixel. */
export interface ColorImage {
  width: number;
  height: number;
  data: Uint8Array;
}

export function vertexCount(mesh: { positions: Float32Array }): number {
  return mesh.positions.length / 3;
}

export function triangleCount(mesh: { indices: Uint32Array }): number {
  return mesh.indices.length / 3;
}

/**
 * Normal of the triangle of three vertices, as long as twice its area, written to `out` from `at` on.
 * @returns that length
 */
export function triangleNormal(
  positions: ArrayLike<number>,
  a: number,
  b: number,
  c: number,
  out: Float64Array,
  at = 0,
): number {
  const p = positions;
  const x = p[3 * a];
  const y = p[3 * a + 1];
  const z = p[3 * a + 2];
  const ux = p[3 * b] - x;
  const uy = p[3 * b + 1] - y;
  const uz = p[3 * b + 2] - z;
  const vx = p[3 * c] - x;
  const vy = p[3 * c + 1] - y;
  const vz = p[3 * c + 2] - z;
  const nx = uy * vz - uz * vy;
  const ny = uz * vx - ux * vz;
  const nz = ux * vy - uy * vx;
  out[at] = nx;
  out[at + 1] = ny;
  out[at + 2] = nz;
  return Math.sqrt(nx * nx + ny * ny + nz * nz);
}

/** Area-weighted unit vertex normals (3n). O(n + m). */
export function vertexNormals(mesh: TriangleMesh): Float32Array {
  const { positions: p, indices } = mesh;
  const out = new Float32Array(p.length);
  const n = new Float64Array(3);
  for (let t = 0; t < indices.length; t += 3) {
    triangleNormal(p, indices[t], indices[t + 1], indices[t + 2], n);
    for (let k = 0; k < 3; k++) {
      const v = 3 * indices[t + k];
      out[v] += n[0];
      out[v + 1] += n[1];
      out[v + 2] += n[2];
    }
  }
  for (let i = 0; i < out.length; i += 3) {
    const l = Math.hypot(out[i], out[i + 1], out[i + 2]) || 1;
    out[i] /= l;
    out[i + 1] /= l;
    out[i + 2] /= l;
  }
  return out;
}

/** Per-vertex attributes that operations carry along. */
const VERTEX_ATTRIBUTES = ['normals', 'colors', ...KNOWN_ATTRIBUTES.map((a) => a.name)] as const;

/**
 * A mesh over a subset of vertices: vertex i of the result is vertex `oldFromNew[i]` of the source; every per-vertex
 * attribute is carried along. `indices` already refer to the new numbering.
 */
export function gatherVertices(mesh: TriangleMesh, oldFromNew: ArrayLike<number>, indices: Uint32Array): TriangleMesh {
  const n = oldFromNew.length;
  const before = vertexCount(mesh) || 1;
  const gather = <A extends Float32Array | Uint8Array | Uint32Array>(source: A): A => {
    const size = source.length / before;
    const out = new (source.constructor as new (length: number) => A)(n * size);
    for (let i = 0; i < n; i++) {
      for (let k = 0; k < size; k++) out[i * size + k] = source[oldFromNew[i] * size + k];
    }
    return out;
  };
  const out: TriangleMesh = { positions: gather(mesh.positions), indices };
  for (const name of VERTEX_ATTRIBUTES) {
    const source = mesh[name];
    if (source) Object.assign(out, { [name]: gather(source) });
  }
  for (const names of KNOWN_NAMES) if (mesh[names]) Object.assign(out, { [names]: mesh[names] });
  return out;
}

/** Drops vertices that no triangle uses, keeping the order of the rest. O(n + m). */
export function compactMesh(mesh: TriangleMesh): TriangleMesh {
  const newFromOld = new Int32Array(vertexCount(mesh)).fill(-1);
  for (const v of mesh.indices) newFromOld[v] = 0;
  const oldFromNew: number[] = [];
  for (let v = 0; v < newFromOld.length; v++) {
    if (newFromOld[v] === 0) {
      newFromOld[v] = oldFromNew.length;
      oldFromNew.push(v);
    }
  }
  return gatherVertices(
    mesh,
    oldFromNew,
    mesh.indices.map((v) => newFromOld[v]),
  );
}

/** The triangles whose `keep` byte is non-zero, unused vertices dropped. */
export function filterTriangles(mesh: TriangleMesh, keep: Uint8Array): TriangleMesh {
  const indices: number[] = [];
  for (let t = 0; t < keep.length; t++) {
    if (keep[t]) indices.push(mesh.indices[3 * t], mesh.indices[3 * t + 1], mesh.indices[3 * t + 2]);
  }
  return compactMesh({ ...mesh, indices: Uint32Array.from(indices) });
}
