import type { TriangleMesh } from '../geometry/triangle-mesh.js';
import { vertexTriangles, type VertexTriangles } from '../mesh/vertex-triangles.js';

/** The surface within some way of a rim. */
export interface Zone {
  /** Its vertices, the rim's first, in order of their way from it. */
  vertices: number[];
  /** Way from the rim along edges, mm, by place in `vertices`. */
  way: number[];
  /** The same counted in edges. */
  ring: number[];
  /** Triangles with all corners in the zone. */
  triangles: number[];
}

/** Finds what lies around rims of a mesh. Build O(m). */
export class Surroundings {
  private readonly around: VertexTriangles;

  constructor(private readonly mesh: TriangleMesh) {
    this.around = vertexTriangles(mesh);
  }

  /** Triangles at a vertex. */
  trianglesAt(v: number): Uint32Array {
    return this.around.list.subarray(this.around.start[v], this.around.start[v + 1]);
  }

  /**
   * The surface up to `width` mm from a rim along its edges, at least `leastRings` rings, at most `mostVertices` vertices
   * (then narrower).
   */
  zone(rim: ArrayLike<number>, width: number, leastRings: number, mostVertices: number): Zone {
    const p = this.mesh.positions;
    const way = new Map<number, number>();
    for (let i = 0; i < rim.length; i++) way.set(rim[i], 0);
    const rings = new Array<number>(way.size).fill(0);
    let front = Array.from(way.keys());
    // Ring by ring, so ways are a little long where edges zigzag; no matter for a width.
    for (let ring = 1; front.length > 0 && way.size < mostVertices; ring++) {
      const next = new Map<number, number>();
      for (const v of front) {
        const from = way.get(v)!;
        for (const t of this.trianglesAt(v)) {
          for (let k = 0; k < 3; k++) {
            const w = this.mesh.indices[3 * t + k];
            if (way.has(w)) continue;
            const a = 3 * v;
            const b = 3 * w;
            const d = from + Math.hypot(p[a] - p[b], p[a + 1] - p[b + 1], p[a + 2] - p[b + 2]);
            if (ring > leastRings && d > width) continue;
            if (d < (next.get(w) ?? Infinity)) next.set(w, d);
          }
        }
      }
      next.forEach((d, v) => {
        way.set(v, d);
        rings.push(ring);
      });
      front = Array.from(next.keys());
    }
    const triangles = new Set<number>();
    for (const v of way.keys()) {
      for (const t of this.trianglesAt(v)) {
        if ([0, 1, 2].every((k) => way.has(this.mesh.indices[3 * t + k]))) triangles.add(t);
      }
    }
    return {
      vertices: Array.from(way.keys()),
      way: Array.from(way.values()),
      ring: rings,
      triangles: Array.from(triangles),
    };
  }
}
