import type { TriangleMesh } from '../geometry/triangle-mesh.js';
import { findCrossings } from '../mesh/crossings.js';
import type { SettledMesh } from './settle-vertices.js';

/** After the first look at everything, only so many rings of triangles around what had crossed are looked at. */
const RINGS = 4;
const ROUNDS = 6;

/**
 * Where settling has pushed triangles through others, their corners go half the way back to where marching cubes put them, whose
 * triangles never cross; in later rounds the whole way, and their neighbours too. O(m log m).
 */
export function untangle(settled: SettledMesh, rough: TriangleMesh): SettledMesh {
  const { indices } = settled;
  let crossings = Array.from(findCrossings(settled));
  if (crossings.length === 0) return settled;
  const positions = settled.positions.slice();
  const back = new Set<number>();
  for (let round = 0; round < ROUNDS && crossings.length > 0; round++) {
    for (const t of crossings) for (let k = 0; k < 3; k++) back.add(indices[3 * t + k]);
    if (round > 1) widen(back, indices);
    const way = round === 0 ? 0.5 : 1;
    for (const v of back)
      for (let k = 3 * v; k < 3 * v + 3; k++) positions[k] += way * (rough.positions[k] - positions[k]);
    const around = new Set(back);
    for (let ring = 0; ring < RINGS; ring++) widen(around, indices);
    const near: number[] = [];
    for (let t = 0; t < indices.length; t += 3) if (around.has(indices[t])) near.push(t / 3);
    const corners = new Uint32Array(3 * near.length);
    near.forEach((t, i) => corners.set(indices.subarray(3 * t, 3 * t + 3), 3 * i));
    crossings = Array.from(findCrossings({ positions, indices: corners }), (i) => near[i]);
  }
  return { ...settled, positions };
}

/** Adds the vertices next to those in a set. */
function widen(vertices: Set<number>, indices: Uint32Array): void {
  const more: number[] = [];
  for (let t = 0; t < indices.length; t += 3)
    if (vertices.has(indices[t]) || vertices.has(indices[t + 1]) || vertices.has(indices[t + 2]))
      more.push(indices[t], indices[t + 1], indices[t + 2]);
  for (const v of more) vertices.add(v);
}
