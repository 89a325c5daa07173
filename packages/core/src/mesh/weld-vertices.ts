import { compactMesh, type TriangleMesh } from '../geometry/triangle-mesh.js';

/** A mesh whose triangles share the vertices that stand at exactly the same place; triangles that lose area go. O(n + m). */
export function weldVertices(mesh: TriangleMesh): TriangleMesh {
  const first = weldedVertices(mesh.positions, mesh.positions.length / 3);
  const indices: number[] = [];
  for (let t = 0; t < mesh.indices.length; t += 3) {
    const [a, b, c] = [first[mesh.indices[t]], first[mesh.indices[t + 1]], first[mesh.indices[t + 2]]];
    if (a !== b && b !== c && c !== a) indices.push(a, b, c);
  }
  return compactMesh({ ...mesh, indices: Uint32Array.from(indices) });
}

/** For each vertex the first at exactly the same place. O(n) by hashing. */
export function weldedVertices(positions: Float32Array, count: number): Uint32Array {
  // Adding zero makes one of the two zeros that single precision has.
  const bits = new Uint32Array(positions.map((v) => v + 0).buffer, 0, 3 * count);
  let size = 1024;
  while (size < 2 * count) size *= 2;
  const slots = new Int32Array(size).fill(-1);
  const first = new Uint32Array(count);
  for (let v = 0; v < count; v++) {
    let h =
      Math.imul(bits[3 * v], 0x9e3779b1) ^
      Math.imul(bits[3 * v + 1], 0x85ebca6b) ^
      Math.imul(bits[3 * v + 2], 0xc2b2ae35);
    h = (h ^ (h >>> 15)) & (size - 1);
    for (; ; h = (h + 1) & (size - 1)) {
      const known = slots[h];
      if (known < 0) {
        slots[h] = v;
        first[v] = v;
        break;
      }
      if ([0, 1, 2].every((k) => positions[3 * known + k] === positions[3 * v + k])) {
        first[v] = known;
        break;
      }
    }
  }
  return first;
}
