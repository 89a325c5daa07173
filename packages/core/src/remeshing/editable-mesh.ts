import { triangleCount, vertexCount, type TriangleMesh } from '../geometry/triangle-mesh.js';
import { nextHalfEdge, oppositeHalfEdges } from '../mesh/topology.js';

const NONE = -1;

export const previousHalfEdge = (h: number): number => (h % 3 === 0 ? h + 2 : h - 1);

/**
 * A manifold mesh that can be changed edge by edge: collapse, flip, split. Half-edge 3t + k runs from corner k of
 * triangle t to the next corner; its twin runs the other way beside it. Triangles and vertices that went stay as gaps
 * until `compact`. Every change takes time by the vertex's edges only.
 * Source of the structure: M. Botsch et al. (2010), Polygon Mesh Processing, chapter 2.
 */
export class EditableMesh {
  /** Coordinates of the vertices, mm. */
  positions: Float64Array;
  /** Vertex at the origin of each half-edge; -1 in triangles that are gone. */
  origin: Int32Array;
  /** The half-edge beside each; -1 on a rim. */
  twin: Int32Array;
  /** A half-edge that leaves each vertex, on a rim the one along it; -1 for vertices without triangles. */
  leaving: Int32Array;
  triangles: number;

  /** @param mesh with manifold edges and vertices (see `makeManifold`) */
  constructor(mesh: TriangleMesh) {
    const n = vertexCount(mesh);
    this.positions = Float64Array.from(mesh.positions);
    this.origin = Int32Array.from(mesh.indices);
    this.twin = oppositeHalfEdges(mesh.indices, n);
    this.leaving = new Int32Array(n).fill(NONE);
    this.triangles = triangleCount(mesh);
    for (let h = 0; h < this.origin.length; h++) {
      const v = this.origin[h];
      if (this.leaving[v] < 0 || this.twin[h] < 0) this.leaving[v] = h;
    }
  }

  target(h: number): number {
    return this.origin[nextHalfEdge(h)];
  }

  onRim(v: number): boolean {
    return this.twin[this.leaving[v]] < 0;
  }

  /** The half-edges that leave a vertex, in turn. @returns how many were written to `out` */
  fan(v: number, out: Int32Array): number {
    const first = this.leaving[v];
    let count = 0;
    let h = first;
    do {
      out[count++] = h;
      h = this.twin[previousHalfEdge(h)];
    } while (h >= 0 && h !== first);
    return count;
  }

  /** The half-edge from one vertex to another; -1 if there is none, or only one that runs the other way. */
  halfEdge(from: number, to: number): number {
    const count = this.fan(from, scratch);
    for (let i = 0; i < count; i++) if (this.target(scratch[i]) === to) return scratch[i];
    return NONE;
  }

  /** The vertices beside a vertex. @returns how many were written to `out` */
  neighbours(v: number, out: Int32Array): number {
    let count = this.fan(v, out);
    const last = previousHalfEdge(out[count - 1]);
    for (let i = 0; i < count; i++) out[i] = this.target(out[i]);
    if (this.twin[last] < 0) out[count++] = this.origin[last];
    return count;
  }

  /**
   * Draws the edge of a half-edge together into its origin. Its target goes, and the triangles beside it. The caller has
   * asked whether that may be (`CollapseRule`).
   */
  collapse(h: number): void {
    const { origin, twin, leaving } = this;
    const kept = origin[h];
    const gone = this.target(h);
    const count = this.fan(gone, scratch);
    for (let i = 0; i < count; i++) origin[scratch[i]] = kept;
    const beside = twin[h];
    leaving[gone] = NONE;
    const one = this.closeTriangle(h);
    const first = beside >= 0 ? this.closeTriangle(beside) : one;
    // The fan starts on the rim if there is one.
    let start = first;
    while (twin[start] >= 0) {
      start = nextHalfEdge(twin[start]);
      if (start === first) break;
    }
    leaving[kept] = start;
  }

  /** Takes the triangle of a half-edge out whose two ends are one now. @returns a half-edge that leaves that one */
  private closeTriangle(h: number): number {
    const { origin, twin, leaving } = this;
    const next = nextHalfEdge(h);
    const previous = previousHalfEdge(h);
    const x = twin[next];
    const y = twin[previous];
    if (x >= 0) twin[x] = y;
    if (y >= 0) twin[y] = x;
    const apex = origin[previous];
    if (leaving[apex] === previous) leaving[apex] = x;
    const t = h - (h % 3);
    origin[t] = origin[t + 1] = origin[t + 2] = NONE;
    this.triangles--;
    return y >= 0 ? y : nextHalfEdge(x);
  }

  /** The mesh as it stands, and which vertex of before each of its vertices was. */
  compact(): { mesh: TriangleMesh; oldFromNew: Uint32Array } {
    const newFromOld = new Int32Array(this.leaving.length).fill(NONE);
    const oldFromNew = new Uint32Array(this.leaving.length);
    let n = 0;
    for (let v = 0; v < this.leaving.length; v++) {
      if (this.leaving[v] < 0) continue;
      newFromOld[v] = n;
      oldFromNew[n++] = v;
    }
    const positions = new Float32Array(3 * n);
    for (let i = 0; i < n; i++)
      for (let k = 0; k < 3; k++) positions[3 * i + k] = this.positions[3 * oldFromNew[i] + k];
    const indices = new Uint32Array(3 * this.triangles);
    let at = 0;
    for (let h = 0; h < this.origin.length; h++) if (this.origin[h] >= 0) indices[at++] = newFromOld[this.origin[h]];
    return { mesh: { positions, indices }, oldFromNew: oldFromNew.slice(0, n) };
  }
}

/** Edges at one vertex at most. */
export const MOST_EDGES = 4096;
const scratch = new Int32Array(MOST_EDGES);
const around = new Int32Array(MOST_EDGES);

/**
 * Says which edges may be drawn together so that the surface stays the manifold it is: the link condition (T. Dey et al.,
 * 1999, Topology preserving edge contraction), no vertex with fewer than three edges inside, no rim pinched.
 */
export class CollapseRule {
  private readonly mark: Int32Array;
  private stamp = 0;

  constructor(private readonly mesh: EditableMesh) {
    this.mark = new Int32Array(mesh.leaving.length);
  }

  allows(h: number): boolean {
    const { mesh, mark } = this;
    const a = mesh.origin[h];
    const b = mesh.target(h);
    const beside = mesh.twin[h];
    if (beside >= 0 && mesh.onRim(a) && mesh.onRim(b)) return false;
    if (!this.apexHolds(h) || (beside >= 0 && !this.apexHolds(beside))) return false;
    const stamp = ++this.stamp;
    let count = mesh.neighbours(a, around);
    for (let i = 0; i < count; i++) mark[around[i]] = stamp;
    count = mesh.neighbours(b, around);
    let common = 0;
    for (let i = 0; i < count; i++) if (mark[around[i]] === stamp) common++;
    return common === (beside >= 0 ? 2 : 1);
  }

  /** Whether the vertex across an edge can do without its triangle. */
  private apexHolds(h: number): boolean {
    const { mesh } = this;
    const next = mesh.twin[nextHalfEdge(h)];
    const last = previousHalfEdge(h);
    const previous = mesh.twin[last];
    if (next < 0 && previous < 0) return false;
    const apex = mesh.origin[last];
    return mesh.onRim(apex) || mesh.fan(apex, around) > 3;
  }
}
