import { triangleNormal, type TriangleMesh } from '../geometry/triangle-mesh.js';

/** Areas of a mesh and the borders between them; areas grow by taking in their neighbours. */
export interface Region {
  triangles: Int32Array;
  /** mm². */
  area: number;
  /** Length of its border, with rims of the mesh, mm. */
  border: number;
  /** Sum of its triangles' normals times areas. */
  normal: Float64Array;
  /** By neighbour the length of the common border, each edge counted by how evenly the surface goes on across it, mm. */
  neighbours: Map<number, number>;
  /** The same as lengths alone. */
  shared: Map<number, number>;
}

export class RegionGraph {
  readonly regions: (Region | undefined)[] = [];
  readonly area: number;

  /** @param label region of each triangle, 0 … n − 1 */
  constructor(mesh: TriangleMesh, opposite: Int32Array, label: ArrayLike<number>, regions: number) {
    const { positions: p, indices } = mesh;
    const m = indices.length / 3;
    const normals = new Float64Array(3 * m);
    const n = new Float64Array(3);
    const lists: number[][] = Array.from({ length: regions }, () => []);
    for (let r = 0; r < regions; r++) {
      this.regions.push({
        triangles: new Int32Array(0),
        area: 0,
        border: 0,
        normal: new Float64Array(3),
        neighbours: new Map(),
        shared: new Map(),
      });
    }
    let total = 0;
    for (let t = 0; t < m; t++) {
      const twice = triangleNormal(p, indices[3 * t], indices[3 * t + 1], indices[3 * t + 2], n);
      const region = this.regions[label[t]]!;
      for (let k = 0; k < 3; k++) {
        region.normal[k] += n[k] / 2;
        normals[3 * t + k] = twice > 0 ? n[k] / twice : 0;
      }
      region.area += twice / 2;
      total += twice / 2;
      lists[label[t]].push(t);
    }
    this.area = total;
    lists.forEach((list, r) => (this.regions[r]!.triangles = Int32Array.from(list)));
    for (let h = 0; h < opposite.length; h++) {
      const t = Math.floor(h / 3);
      const g = opposite[h];
      const u = g < 0 ? -1 : Math.floor(g / 3);
      if (u >= 0 && label[u] === label[t]) continue;
      const a = 3 * indices[h];
      const b = 3 * indices[h % 3 === 2 ? h - 2 : h + 1];
      const length = Math.hypot(p[a] - p[b], p[a + 1] - p[b + 1], p[a + 2] - p[b + 2]);
      const region = this.regions[label[t]]!;
      region.border += length;
      if (u < 0) continue;
      const even =
        normals[3 * t] * normals[3 * u] +
        normals[3 * t + 1] * normals[3 * u + 1] +
        normals[3 * t + 2] * normals[3 * u + 2];
      add(region.neighbours, label[u], length * Math.max(0.05, even));
      add(region.shared, label[u], length);
    }
  }

  /** Region b becomes part of a. O(neighbours of b + triangles of both). */
  merge(a: number, b: number): void {
    const one = this.regions[a]!;
    const two = this.regions[b]!;
    const triangles = new Int32Array(one.triangles.length + two.triangles.length);
    triangles.set(one.triangles);
    triangles.set(two.triangles, one.triangles.length);
    one.triangles = triangles;
    one.area += two.area;
    one.border += two.border - 2 * (one.shared.get(b) ?? 0);
    for (let k = 0; k < 3; k++) one.normal[k] += two.normal[k];
    for (const lengths of ['neighbours', 'shared'] as const) {
      one[lengths].delete(b);
      two[lengths].forEach((length, c) => {
        if (c === a) return;
        add(one[lengths], c, length);
        const there = this.regions[c]![lengths];
        there.delete(b);
        add(there, a, length);
      });
    }
    this.regions[b] = undefined;
  }

  /** The region of each triangle, numbered 0 … n − 1 anew. */
  labels(triangles: number): { label: Int32Array; count: number } {
    const label = new Int32Array(triangles);
    let count = 0;
    for (const region of this.regions) {
      if (!region) continue;
      for (const t of region.triangles) label[t] = count;
      count++;
    }
    return { label, count };
  }
}

function add(map: Map<number, number>, key: number, value: number): void {
  map.set(key, (map.get(key) ?? 0) + value);
}
