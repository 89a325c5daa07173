import { triangleCount, triangleNormal, vertexCount, type TriangleMesh } from '../geometry/triangle-mesh.js';
import { GeometryError } from '../runtime/geometry-error.js';
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
  /** Half-edges of lines to be kept, both of each edge: creases. They stay on their edges through every change. */
  crease: Uint8Array;
  triangles: number;
  /** Vertices and half-edges in use, those that went among them; the arrays may be longer. */
  vertices: number;
  halfEdges: number;

  /**
   * @param mesh with manifold edges and vertices (see `makeManifold`)
   * @throws GeometryError `too-large` if more than `MOST_EDGES` meet at a vertex
   */
  constructor(mesh: TriangleMesh) {
    const n = vertexCount(mesh);
    this.positions = Float64Array.from(mesh.positions);
    this.origin = Int32Array.from(mesh.indices);
    this.twin = oppositeHalfEdges(mesh.indices, n);
    this.leaving = new Int32Array(n).fill(NONE);
    this.triangles = triangleCount(mesh);
    this.crease = new Uint8Array(mesh.indices.length);
    this.vertices = n;
    this.halfEdges = mesh.indices.length;
    for (let h = 0; h < this.origin.length; h++) {
      const v = this.origin[h];
      if (this.leaving[v] < 0 || this.twin[h] < 0) this.leaving[v] = h;
    }
    assertFewEdges(mesh.indices, n);
  }

  target(h: number): number {
    return this.origin[nextHalfEdge(h)];
  }

  squaredLength(h: number): number {
    const p = this.positions;
    const a = 3 * this.origin[h];
    const b = 3 * this.target(h);
    const dx = p[a] - p[b];
    const dy = p[a + 1] - p[b + 1];
    const dz = p[a + 2] - p[b + 2];
    return dx * dx + dy * dy + dz * dz;
  }

  onRim(v: number): boolean {
    return this.twin[this.leaving[v]] < 0;
  }

  /** See `triangleNormal`, of the triangle of a half-edge. */
  normalOf(h: number, out: Float64Array, at = 0): number {
    const t = h - (h % 3);
    return triangleNormal(this.positions, this.origin[t], this.origin[t + 1], this.origin[t + 2], out, at);
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
    const crease = this.crease[next] | this.crease[previous];
    if (x >= 0) this.crease[x] = crease;
    if (y >= 0) this.crease[y] = crease;
    if (x >= 0) twin[x] = y;
    if (y >= 0) twin[y] = x;
    const apex = origin[previous];
    if (leaving[apex] === previous) leaving[apex] = x;
    const t = h - (h % 3);
    origin[t] = origin[t + 1] = origin[t + 2] = NONE;
    this.triangles--;
    return y >= 0 ? y : nextHalfEdge(x);
  }

  /** Puts a new vertex on the edge of a half-edge, which runs to it from then on. @returns the vertex */
  split(h: number, x: number, y: number, z: number): number {
    const m = this.addVertex(x, y, z);
    const beside = this.twin[h];
    const far = this.halve(h, m);
    this.leaving[m] = far;
    if (beside >= 0) {
      const near = this.halve(beside, m);
      this.join(far, beside);
      this.join(h, near);
      this.leaving[m] = far;
    }
    return m;
  }

  /** Cuts the triangle of a half-edge in two at a vertex on it. @returns the half-edge from there to its old target */
  private halve(h: number, m: number): number {
    const t = this.addTriangle();
    const { origin, twin, leaving, crease } = this;
    const next = nextHalfEdge(h);
    const b = origin[next];
    const c = origin[previousHalfEdge(h)];
    origin[t] = m;
    origin[t + 1] = b;
    origin[t + 2] = c;
    origin[next] = m;
    crease[t] = crease[h];
    crease[t + 1] = crease[next];
    crease[t + 2] = crease[next] = 0;
    twin[t] = NONE;
    twin[t + 1] = twin[next];
    if (twin[next] >= 0) twin[twin[next]] = t + 1;
    this.join(next, t + 2);
    if (leaving[b] === next) leaving[b] = t + 1;
    if (twin[h] >= 0) twin[h] = NONE;
    return t;
  }

  /** Turns the edge of a half-edge, so that it joins the two corners across from it. */
  flip(h: number): void {
    const { origin, twin, leaving, crease } = this;
    const g = twin[h];
    const [h1, h2, g1, g2] = [nextHalfEdge(h), previousHalfEdge(h), nextHalfEdge(g), previousHalfEdge(g)];
    const [a, b, c, d] = [origin[h], origin[g], origin[h2], origin[g2]];
    const [bc, ca, ad, db] = [twin[h1], twin[h2], twin[g1], twin[g2]];
    const [kbc, kca, kad, kdb] = [crease[h1], crease[h2], crease[g1], crease[g2]];
    origin[h] = origin[g1] = d;
    origin[h1] = origin[g] = c;
    origin[h2] = a;
    origin[g2] = b;
    this.join(h1, ca);
    this.join(h2, ad);
    this.join(g1, db);
    this.join(g2, bc);
    crease[h1] = kca;
    crease[h2] = kad;
    crease[g1] = kdb;
    crease[g2] = kbc;
    if (leaving[a] === h || leaving[a] === g1) leaving[a] = h2;
    if (leaving[b] === g || leaving[b] === h1) leaving[b] = g2;
    if (leaving[c] === h2) leaving[c] = h1;
    if (leaving[d] === g2) leaving[d] = g1;
  }

  private join(h: number, g: number): void {
    this.twin[h] = g;
    if (g >= 0) this.twin[g] = h;
  }

  private addVertex(x: number, y: number, z: number): number {
    const v = this.vertices++;
    if (v === this.leaving.length) {
      this.leaving = grown(this.leaving, NONE);
      const positions = new Float64Array(2 * this.positions.length);
      positions.set(this.positions);
      this.positions = positions;
    }
    this.positions[3 * v] = x;
    this.positions[3 * v + 1] = y;
    this.positions[3 * v + 2] = z;
    return v;
  }

  /** @returns the first half-edge of a new triangle */
  private addTriangle(): number {
    const t = this.halfEdges;
    this.halfEdges += 3;
    this.triangles++;
    if (this.halfEdges > this.origin.length) {
      this.origin = grown(this.origin, NONE);
      this.twin = grown(this.twin, NONE);
      const crease = new Uint8Array(this.origin.length);
      crease.set(this.crease);
      this.crease = crease;
    }
    return t;
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

function grown(source: Int32Array, fill: number): Int32Array {
  const out = new Int32Array(Math.max(3, 2 * source.length)).fill(fill, source.length);
  out.set(source);
  return out;
}

/** @throws GeometryError if more edges meet at a vertex than can be held, with room for those that join them */
function assertFewEdges(indices: Uint32Array, vertices: number): void {
  const edges = new Uint32Array(vertices);
  let most = 0;
  for (const v of indices) most = Math.max(most, ++edges[v]);
  if (most > MOST_EDGES / 2) {
    throw new GeometryError(
      'too-large',
      `${most} edges meet at one vertex, more than ${MOST_EDGES / 2}. Split the fan there, or scan and fuse the place anew.`,
    );
  }
}

/** Edges at one vertex at most. */
export const MOST_EDGES = 1 << 16;
const scratch = new Int32Array(MOST_EDGES);
const around = new Int32Array(MOST_EDGES);

/**
 * Says which edges may be drawn together so that the surface stays the manifold it is: the link condition (T. Dey et al.,
 * 1999, Topology preserving edge contraction), no vertex with fewer than three edges inside, no rim pinched.
 */
export class CollapseRule {
  private mark: Int32Array;
  private stamp = 0;

  constructor(private readonly mesh: EditableMesh) {
    this.mark = new Int32Array(mesh.leaving.length);
  }

  /** Whether two vertices have an edge between them. */
  joined(a: number, b: number): boolean {
    const count = this.mesh.neighbours(a, around);
    for (let i = 0; i < count; i++) if (around[i] === b) return true;
    return false;
  }

  allows(h: number): boolean {
    const { mesh } = this;
    if (this.mark.length < mesh.leaving.length) this.mark = new Int32Array(mesh.leaving.length);
    const { mark } = this;
    const a = mesh.origin[h];
    const b = mesh.target(h);
    const beside = mesh.twin[h];
    if (beside >= 0 && mesh.onRim(a) && mesh.onRim(b)) return false;
    if (!this.apexHolds(h) || (beside >= 0 && !this.apexHolds(beside))) return false;
    const stamp = ++this.stamp;
    let count = mesh.neighbours(a, around);
    for (let i = 0; i < count; i++) mark[around[i]] = stamp;
    const edges = count;
    count = mesh.neighbours(b, around);
    if (edges + count > MOST_EDGES) return false;
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
