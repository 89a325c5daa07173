import { triangleNormal, vertexCount, type TriangleMesh } from '../geometry/triangle-mesh.js';
import { meanEdgeLength } from '../mesh/repair.js';
import { oppositeHalfEdges, rimVertices } from '../mesh/topology.js';
import { vertexTriangles, type VertexTriangles } from '../mesh/vertex-triangles.js';
import { PointGrid } from '../spatial/point-grid.js';
import type { Dab } from './hand-edit.js';

/** Vertices that turn further from the place under the brush than this, as cosine, are another side: 110°. */
const OTHER_SIDE = -0.34;
/** Cells of the grid of vertices, in mean edges. */
const CELL_EDGES = 2;

/**
 * Finds what a brush reaches: vertices in its ball that hang together with the one nearest to its middle, on the same side.
 * The other side of a thin wall is not reached. Build O(n + m).
 */
export class BrushReach {
  /** What the last dab reached, `count` of them, and how much of the brush each gets, 0–1, the most in the middle. */
  readonly vertices: Uint32Array;
  readonly share: Float64Array;
  count = 0;
  /** 1 for vertices on a rim. */
  readonly rim: Uint8Array;
  readonly around: VertexTriangles;
  private grid: PointGrid;
  private readonly cell: number;
  private readonly seen: Uint32Array;
  private readonly near: Uint32Array;
  private round = 0;
  /** How far vertices may have moved since the grid was built, mm. */
  private moved = 0;
  private readonly n = new Float64Array(3);
  private readonly own = new Float64Array(3);

  constructor(private readonly mesh: TriangleMesh) {
    const n = vertexCount(mesh);
    this.vertices = new Uint32Array(n);
    this.share = new Float64Array(n);
    this.seen = new Uint32Array(n);
    this.near = new Uint32Array(n);
    this.around = vertexTriangles(mesh);
    this.rim = rimVertices(mesh.indices, n, oppositeHalfEdges(mesh.indices, n));
    this.cell = CELL_EDGES * meanEdgeLength(mesh) || 1;
    this.grid = new PointGrid(mesh.positions, this.cell);
  }

  /** Tells that vertices have moved by up to so many mm. */
  hasMoved(by: number): void {
    this.moved += by;
  }

  /** @returns how many vertices the dab reaches; they are in `vertices`, the nearest first */
  find([x, y, z, radius]: Dab): number {
    this.count = 0;
    if (this.moved > 0.5 * radius) {
      this.grid = new PointGrid(this.mesh.positions, this.cell);
      this.moved = 0;
    }
    const { positions: p, indices } = this.mesh;
    const nearest = this.nearest(x, y, z, radius);
    if (nearest < 0) return 0;
    const { start, list } = this.around;
    this.round++;
    const facing = this.n;
    this.normalAt(nearest, facing);
    const reach = (v: number, always: boolean): void => {
      this.seen[v] = this.round;
      const q = ((p[3 * v] - x) ** 2 + (p[3 * v + 1] - y) ** 2 + (p[3 * v + 2] - z) ** 2) / radius ** 2;
      if (q >= 1 && !always) return;
      this.normalAt(v, this.own);
      const turn = this.own[0] * facing[0] + this.own[1] * facing[1] + this.own[2] * facing[2];
      if (turn < OTHER_SIDE) return;
      this.share[this.count] = (1 - Math.min(1, q)) ** 2;
      this.vertices[this.count++] = v;
    };
    reach(nearest, true);
    for (let i = 0; i < this.count; i++) {
      const v = this.vertices[i];
      for (let j = start[v]; j < start[v + 1]; j++)
        for (let k = 0; k < 3; k++) {
          const w = indices[3 * list[j] + k];
          if (this.seen[w] !== this.round) reach(w, false);
        }
    }
    return this.count;
  }

  /** The vertex nearest to a place as the surface lies now, -1 if none is within the radius: when the grid was built plays no part. */
  private nearest(x: number, y: number, z: number, radius: number): number {
    const p = this.mesh.positions;
    const count = this.grid.within(x, y, z, radius + this.moved, this.near);
    let best = -1;
    let least = radius * radius;
    for (let i = 0; i < count; i++) {
      const v = this.near[i];
      const squared = (p[3 * v] - x) ** 2 + (p[3 * v + 1] - y) ** 2 + (p[3 * v + 2] - z) ** 2;
      if (squared < least || (squared === least && v < best)) {
        least = squared;
        best = v;
      }
    }
    return best;
  }

  /** Unit normal at a vertex as the surface lies now, zeros where it has none. */
  normalAt(v: number, out: Float64Array): void {
    const { start, list } = this.around;
    const { positions, indices } = this.mesh;
    let [x, y, z] = [0, 0, 0];
    for (let j = start[v]; j < start[v + 1]; j++) {
      const t = 3 * list[j];
      triangleNormal(positions, indices[t], indices[t + 1], indices[t + 2], out);
      x += out[0];
      y += out[1];
      z += out[2];
    }
    const l = Math.hypot(x, y, z) || 1;
    out[0] = x / l;
    out[1] = y / l;
    out[2] = z / l;
  }
}
