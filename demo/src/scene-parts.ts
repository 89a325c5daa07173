import type { TriangleMesh } from '@amber-knit/core/geometry';
import type { Vec3 } from '@amber-knit/core/math';

/** Meshes one after the other, with the first triangle of each. */
export function joinMeshes(parts: TriangleMesh[]): { mesh: TriangleMesh; starts: number[] } {
  const positions = new Float32Array(parts.reduce((n, p) => n + p.positions.length, 0));
  const indices = new Uint32Array(parts.reduce((n, p) => n + p.indices.length, 0));
  const starts: number[] = [];
  let vertex = 0;
  let corner = 0;
  for (const p of parts) {
    starts.push(corner / 3);
    positions.set(p.positions, 3 * vertex);
    for (let i = 0; i < p.indices.length; i++) indices[corner + i] = p.indices[i] + vertex;
    vertex += p.positions.length / 3;
    corner += p.indices.length;
  }
  return { mesh: { positions, indices }, starts };
}

/** A disc facing up at height 0. */
export function disc(radius: number, segments = 48): TriangleMesh {
  const positions = new Float32Array(3 * (segments + 1));
  const indices = new Uint32Array(3 * segments);
  for (let i = 0; i < segments; i++) {
    const a = (2 * Math.PI * i) / segments;
    positions.set([radius * Math.cos(a), radius * Math.sin(a), 0], 3 * (i + 1));
    indices.set([0, 1 + i, 1 + ((i + 1) % segments)], 3 * i);
  }
  return { positions, indices };
}

/** A lump with a flat bottom at height 0, highest in the middle: half an ellipsoid. */
export function lump(radius: number, height: number, segments = 32, rings = 6): TriangleMesh {
  const positions = new Float32Array(3 * (segments * rings + 1));
  const corners: number[] = [];
  for (let k = 0; k < rings; k++) {
    const up = (Math.PI / 2) * (k / rings);
    for (let i = 0; i < segments; i++) {
      const a = (2 * Math.PI * i) / segments;
      const r = radius * Math.cos(up);
      positions.set([r * Math.cos(a), r * Math.sin(a), height * Math.sin(up)], 3 * (k * segments + i));
      const [p, q] = [k * segments + i, k * segments + ((i + 1) % segments)];
      if (k + 1 < rings) corners.push(p, q, p + segments, p + segments, q, q + segments);
      else corners.push(p, q, segments * rings);
    }
  }
  positions.set([0, 0, height], 3 * segments * rings);
  return { positions, indices: Uint32Array.from(corners) };
}

/** A box between two corners. */
export function box([x0, y0, z0]: Vec3, [x1, y1, z1]: Vec3): TriangleMesh {
  const positions = new Float32Array(24);
  for (let k = 0; k < 8; k++) positions.set([k & 1 ? x1 : x0, k & 2 ? y1 : y0, k & 4 ? z1 : z0], 3 * k);
  const quads = [
    [0, 2, 3, 1],
    [4, 5, 7, 6],
    [0, 1, 5, 4],
    [2, 6, 7, 3],
    [0, 4, 6, 2],
    [1, 3, 7, 5],
  ];
  return { positions, indices: Uint32Array.from(quads.flatMap(([a, b, c, d]) => [a, b, c, a, c, d])) };
}

/** The same triangles with corners of their own, so that edges stay crisp. */
export function faceted(mesh: TriangleMesh): TriangleMesh {
  const positions = new Float32Array(3 * mesh.indices.length);
  mesh.indices.forEach((v, i) => positions.set(mesh.positions.subarray(3 * v, 3 * v + 3), 3 * i));
  return { positions, indices: Uint32Array.from(mesh.indices, (_, i) => i) };
}

/** A round bar along an axis of the world (0 x, 1 y, 2 z), from a place on, open at its ends. */
export function bar(from: Vec3, axis: 0 | 1 | 2, length: number, radius: number, segments = 24): TriangleMesh {
  const positions = new Float32Array(6 * segments);
  const indices = new Uint32Array(6 * segments);
  const [a, b] = [(axis + 1) % 3, (axis + 2) % 3];
  for (let i = 0; i < segments; i++) {
    const angle = (2 * Math.PI * i) / segments;
    for (let end = 0; end < 2; end++) {
      const p = [...from];
      p[axis] += end * length;
      p[a] += radius * Math.cos(angle);
      p[b] += radius * Math.sin(angle);
      positions.set(p, 3 * (2 * i + end));
    }
    const [p, q] = [2 * i, 2 * ((i + 1) % segments)];
    indices.set([p, q, p + 1, p + 1, q, q + 1], 6 * i);
  }
  return { positions, indices };
}
