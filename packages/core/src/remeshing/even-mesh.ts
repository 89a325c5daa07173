import { triangleNormal, type TriangleMesh } from '../geometry/triangle-mesh.js';
import { makeManifold } from '../mesh/repair.js';
import type { RunContext } from '../runtime/run-context.js';
import { TriangleBvh, type SurfaceHit } from '../spatial/triangle-bvh.js';
import { CORNER, dropShortCreases, FREE, lineFinder, markCreases, ON_LINE, vertexKinds } from './crease-lines.js';
import { CollapseRule, EditableMesh, MOST_EDGES, previousHalfEdge } from './editable-mesh.js';
import { fanHolds } from './fan-holds.js';

export interface EvenMeshOptions {
  /** Wanted length of the edges, mm. */
  edge: number;
  /** Edges at which the surface turns by more than this stay lines, radians. */
  crease: number;
  rounds: number;
}

export const EVEN_MESH_DEFAULTS: Omit<EvenMeshOptions, 'edge'> = { crease: (40 * Math.PI) / 180, rounds: 12 };

/** Edges longer or shorter than these, in parts of the wanted length, are split and drawn together: both halves of a split stay. */
const LONGEST = 4 / 3;
const SHORTEST = 4 / 5;
/** Lines closer to each other than this, in parts of the wanted length, become one: as the two sides of a bevel that no edge fits into. */
const MERGE = 0.4;
/** Creases shorter than this all told, in parts of the wanted length, are not kept. */
const LEAST_LINE = 4;
/** How far a triangle may turn when an edge is drawn together or turned, and when a vertex moves: cosines of 60° and 45°. */
const COLLAPSE_TURN = 0.5;
const MOVE_TURN = 0.7;
/** Shape that a triangle must keep (see `fanHolds`): little while edges are drawn together, since vertices move afterwards. */
const COLLAPSE_SHAPE = 0.02;
const LEAST_SHAPE = 0.2;
/** Rounds at the end in which edges are turned for wide angles instead of for even counts of edges at the vertices. */
const ANGLE_ROUNDS = 3;
/** Rounds in which vertices leave the source a little, so that the triangles lie on both sides of it. */
const SETTLE_ROUNDS = 2;

/**
 * Remeshes a surface to even edges: long ones are split, short ones drawn together, edges turned so that six meet at a vertex,
 * and vertices moved over the surface to the middle of their neighbours, then put on the source. Rims and creases stay:
 * their vertices move along them, corners not at all. O(rounds · n log n).
 * Source: M. Botsch, L. Kobbelt (2004), A remeshing approach to multiresolution modeling.
 * @returns positions and triangles alone (see `carryAttributes`)
 * @throws GeometryError if the context is cancelled
 */
export function evenMesh(
  source: TriangleMesh,
  options: Pick<EvenMeshOptions, 'edge'> & Partial<EvenMeshOptions>,
  ctx: RunContext,
): TriangleMesh {
  const o = { ...EVEN_MESH_DEFAULTS, ...options };
  const { mesh } = makeManifold({ positions: source.positions, indices: source.indices });
  const work = new Remesher(mesh, o);
  for (let round = 0; round < o.rounds; round++) {
    ctx.checkpoint(round / o.rounds);
    work.splitLong();
    work.joinShort();
    work.turn(round < o.rounds - ANGLE_ROUNDS);
    work.relax();
  }
  for (let round = 0; round < SETTLE_ROUNDS; round++) work.settle();
  return work.mesh.compact().mesh;
}

class Remesher {
  readonly mesh: EditableMesh;
  private readonly rule: CollapseRule;
  private readonly surface: TriangleBvh;
  private readonly lines: TriangleBvh | undefined;
  private readonly longest: number;
  private readonly shortest: number;
  private readonly merge: number;
  private readonly fan = new Int32Array(MOST_EDGES);
  private readonly hit: SurfaceHit = { triangle: 0, squaredDistance: 0, x: 0, y: 0, z: 0, v: 0, w: 0 };
  private readonly normalA = new Float64Array(3);
  private readonly normalB = new Float64Array(3);

  constructor(source: TriangleMesh, o: EvenMeshOptions) {
    this.mesh = new EditableMesh(source);
    this.rule = new CollapseRule(this.mesh);
    markCreases(this.mesh, o.crease);
    dropShortCreases(this.mesh, LEAST_LINE * o.edge);
    this.surface = new TriangleBvh(source);
    this.lines = lineFinder(this.mesh);
    this.longest = LONGEST * LONGEST * o.edge * o.edge;
    this.shortest = SHORTEST * SHORTEST * o.edge * o.edge;
    this.merge = MERGE * MERGE * o.edge * o.edge;
  }

  splitLong(): void {
    const { mesh } = this;
    let most = this.longest;
    for (let h = 0; h < mesh.halfEdges; h++) if (mesh.origin[h] >= 0) most = Math.max(most, this.mesh.squaredLength(h));
    // The longest first, or narrow triangles would be cut into many times what they need.
    for (let limit = most; limit > this.longest; limit /= 2) this.splitOver(limit / 2);
    this.splitOver(this.longest);
  }

  private splitOver(limit: number): void {
    if (limit < this.longest) return;
    const { mesh } = this;
    // New half-edges come at the end and are met in turn.
    for (let h = 0; h < mesh.halfEdges; h++) {
      if (mesh.origin[h] < 0 || mesh.twin[h] > h || this.mesh.squaredLength(h) <= limit) continue;
      const a = 3 * mesh.origin[h];
      const b = 3 * mesh.target(h);
      const p = mesh.positions;
      mesh.split(h, (p[a] + p[b]) / 2, (p[a + 1] + p[b + 1]) / 2, (p[a + 2] + p[b + 2]) / 2);
    }
  }

  joinShort(): void {
    const { mesh, rule } = this;
    const kinds = vertexKinds(mesh);
    for (let h = 0; h < mesh.halfEdges; h++) {
      if (mesh.origin[h] < 0 || this.mesh.squaredLength(h) > this.shortest) continue;
      const a = mesh.origin[h];
      const b = mesh.target(h);
      const stays = this.placeOf(h, kinds[a], kinds[b]);
      if (stays === undefined || !rule.allows(h)) continue;
      const [x, y, z] = stays;
      if (this.wouldBeLong(a, b, x, y, z) || this.wouldBeLong(b, a, x, y, z)) continue;
      if (
        !fanHolds(mesh, a, b, x, y, z, COLLAPSE_TURN, COLLAPSE_SHAPE) ||
        !fanHolds(mesh, b, a, x, y, z, COLLAPSE_TURN, COLLAPSE_SHAPE)
      )
        continue;
      kinds[a] = Math.max(kinds[a], kinds[b]);
      mesh.collapse(h);
      mesh.positions[3 * a] = x;
      mesh.positions[3 * a + 1] = y;
      mesh.positions[3 * a + 2] = z;
    }
  }

  /** Where the vertex of an edge drawn together stands; nothing if a line would be lost. */
  private placeOf(h: number, a: number, b: number): [number, number, number] | undefined {
    const { mesh } = this;
    const p = mesh.positions;
    const at = (v: number): [number, number, number] => [p[3 * v], p[3 * v + 1], p[3 * v + 2]];
    const [u, w] = [at(mesh.origin[h]), at(mesh.target(h))];
    // Lines and corners too close to each other for edges of this length become one.
    if (a !== FREE && b !== FREE && (!mesh.crease[h] || a + b === 2 * CORNER)) {
      if (this.mesh.squaredLength(h) > this.merge) return undefined;
    }
    if (a !== b) return a > b ? u : w;
    return [(u[0] + w[0]) / 2, (u[1] + w[1]) / 2, (u[2] + w[2]) / 2];
  }

  private wouldBeLong(v: number, except: number, x: number, y: number, z: number): boolean {
    const { mesh, fan } = this;
    const p = mesh.positions;
    const count = mesh.neighbours(v, fan);
    for (let i = 0; i < count; i++) {
      const u = fan[i];
      if (u === except) continue;
      const [dx, dy, dz] = [p[3 * u] - x, p[3 * u + 1] - y, p[3 * u + 2] - z];
      if (dx * dx + dy * dy + dz * dz > this.longest) return true;
    }
    return false;
  }

  /** Turns edges so that the vertices have their even share of them, or so that the angles across become wider. */
  turn(byCount: boolean): void {
    const { mesh, rule } = this;
    const edges = byCount ? this.edgeCounts() : undefined;
    for (let h = 0; h < mesh.halfEdges; h++) {
      const beside = mesh.twin[h];
      if (mesh.origin[h] < 0 || beside > h || beside < 0 || mesh.crease[h]) continue;
      const a = mesh.origin[h];
      const b = mesh.target(h);
      const c = mesh.origin[previousHalfEdge(h)];
      const d = mesh.origin[previousHalfEdge(beside)];
      if (edges) {
        const now = excess(edges, a) + excess(edges, b) + excess(edges, c) + excess(edges, d);
        const then = excess(edges, a, -1) + excess(edges, b, -1) + excess(edges, c, 1) + excess(edges, d, 1);
        if (then >= now) continue;
      } else if (this.cosineAt(c, a, b) + this.cosineAt(d, a, b) >= -1e-6) continue;
      if (!this.lieFlat(h, beside, a, b, c, d) || rule.joined(c, d)) continue;
      mesh.flip(h);
      if (edges) {
        edges[2 * a]--;
        edges[2 * b]--;
        edges[2 * c]++;
        edges[2 * d]++;
      }
    }
  }

  /** Edges at each vertex, and how many there should be: 6, on a rim 4. */
  private edgeCounts(): Int32Array {
    const { mesh } = this;
    const out = new Int32Array(2 * mesh.vertices);
    for (let v = 0; v < mesh.vertices; v++) {
      if (mesh.leaving[v] < 0) continue;
      out[2 * v] = mesh.neighbours(v, this.fan);
      out[2 * v + 1] = mesh.onRim(v) ? 4 : 6;
    }
    return out;
  }

  /** Cosine of the angle at a corner between two others. */
  private cosineAt(c: number, a: number, b: number): number {
    const p = this.mesh.positions;
    let dot = 0;
    let ll = 0;
    let mm = 0;
    for (let k = 0; k < 3; k++) {
      const l = p[3 * a + k] - p[3 * c + k];
      const m = p[3 * b + k] - p[3 * c + k];
      dot += l * m;
      ll += l * l;
      mm += m * m;
    }
    return dot / Math.sqrt(ll * mm + 1e-300);
  }

  /** Whether the two triangles that come of turning an edge face the way that the two before do. */
  private lieFlat(h: number, g: number, a: number, b: number, c: number, d: number): boolean {
    const { mesh, normalA: n, normalB: m } = this;
    const p = mesh.positions;
    const before = mesh.normalOf(h, n) * mesh.normalOf(g, m);
    if (n[0] * m[0] + n[1] * m[1] + n[2] * m[2] < MOVE_TURN * before) return false;
    const sx = n[0] + m[0];
    const sy = n[1] + m[1];
    const sz = n[2] + m[2];
    const length = Math.sqrt(sx * sx + sy * sy + sz * sz);
    const faces = (u: number, v: number, w: number): boolean => {
      const l = triangleNormal(p, u, v, w, n);
      return n[0] * sx + n[1] * sy + n[2] * sz > MOVE_TURN * length * l;
    };
    return faces(a, d, c) && faces(d, b, c);
  }

  /** Moves vertices to the middle of their neighbours, over the surface or along their line, and puts them on the source. */
  relax(): void {
    const { mesh, fan, hit } = this;
    const p = mesh.positions;
    const kinds = vertexKinds(mesh);
    const { normals, areas } = this.vertexNormals();
    for (let v = 0; v < mesh.vertices; v++) {
      if (mesh.leaving[v] < 0 || kinds[v] === CORNER) continue;
      let x = 0;
      let y = 0;
      let z = 0;
      let weight = 0;
      const count = kinds[v] === ON_LINE ? this.lineNeighbours(v) : mesh.neighbours(v, fan);
      for (let i = 0; i < count; i++) {
        const u = fan[i];
        const w = kinds[v] === ON_LINE ? 1 : areas[u];
        x += w * p[3 * u];
        y += w * p[3 * u + 1];
        z += w * p[3 * u + 2];
        weight += w;
      }
      if (!(weight > 0)) continue;
      x /= weight;
      y /= weight;
      z /= weight;
      if (kinds[v] === FREE) {
        const nx = normals[3 * v];
        const ny = normals[3 * v + 1];
        const nz = normals[3 * v + 2];
        const off = nx * (p[3 * v] - x) + ny * (p[3 * v + 1] - y) + nz * (p[3 * v + 2] - z);
        x += off * nx;
        y += off * ny;
        z += off * nz;
      }
      const on = kinds[v] === ON_LINE ? this.lines! : this.surface;
      if (!on.closest(x, y, z, Infinity, hit)) continue;
      if (!fanHolds(mesh, v, -1, hit.x, hit.y, hit.z, MOVE_TURN, LEAST_SHAPE)) continue;
      p[3 * v] = hit.x;
      p[3 * v + 1] = hit.y;
      p[3 * v + 2] = hit.z;
    }
  }

  /** Moves vertices along their normals by how far the middles of their edges lie off the source. */
  settle(): void {
    const { mesh, hit } = this;
    const p = mesh.positions;
    const kinds = vertexKinds(mesh);
    const { normals } = this.vertexNormals();
    const off = new Float64Array(mesh.vertices);
    const count = new Int32Array(mesh.vertices);
    for (let h = 0; h < mesh.halfEdges; h++) {
      if (mesh.origin[h] < 0 || mesh.twin[h] > h) continue;
      const a = mesh.origin[h];
      const b = mesh.target(h);
      const x = (p[3 * a] + p[3 * b]) / 2;
      const y = (p[3 * a + 1] + p[3 * b + 1]) / 2;
      const z = (p[3 * a + 2] + p[3 * b + 2]) / 2;
      if (!this.surface.closest(x, y, z, Infinity, hit)) continue;
      for (const v of [a, b]) {
        const along =
          normals[3 * v] * (hit.x - x) + normals[3 * v + 1] * (hit.y - y) + normals[3 * v + 2] * (hit.z - z);
        off[v] += along;
        count[v]++;
      }
    }
    for (let v = 0; v < mesh.vertices; v++) {
      if (mesh.leaving[v] < 0 || kinds[v] !== FREE) continue;
      const s = off[v] / count[v];
      const x = p[3 * v] + s * normals[3 * v];
      const y = p[3 * v + 1] + s * normals[3 * v + 1];
      const z = p[3 * v + 2] + s * normals[3 * v + 2];
      if (!fanHolds(mesh, v, -1, x, y, z, MOVE_TURN, LEAST_SHAPE)) continue;
      p[3 * v] = x;
      p[3 * v + 1] = y;
      p[3 * v + 2] = z;
    }
  }

  /** The two neighbours of a vertex along its line, written to `fan`. */
  private lineNeighbours(v: number): number {
    const { mesh, fan } = this;
    const edges = mesh.fan(v, fan);
    const last = previousHalfEdge(fan[edges - 1]);
    let count = 0;
    for (let i = 0; i < edges; i++) if (mesh.crease[fan[i]]) fan[count++] = mesh.target(fan[i]);
    if (mesh.twin[last] < 0 && count < 2) fan[count++] = mesh.origin[last];
    return count;
  }

  private vertexNormals(): { normals: Float64Array; areas: Float64Array } {
    const { mesh, normalA: n } = this;
    const normals = new Float64Array(3 * mesh.vertices);
    const areas = new Float64Array(mesh.vertices);
    for (let h = 0; h < mesh.halfEdges; h += 3) {
      if (mesh.origin[h] < 0) continue;
      const twice = mesh.normalOf(h, n);
      for (let k = 0; k < 3; k++) {
        const v = mesh.origin[h + k];
        areas[v] += twice;
        for (let i = 0; i < 3; i++) normals[3 * v + i] += n[i];
      }
    }
    for (let v = 0; v < mesh.vertices; v++) {
      const l = Math.sqrt(normals[3 * v] ** 2 + normals[3 * v + 1] ** 2 + normals[3 * v + 2] ** 2) || 1;
      for (let i = 0; i < 3; i++) normals[3 * v + i] /= l;
    }
    return { normals, areas };
  }
}

/** Square of how many edges a vertex has too many or too few, with `more` of them. */
function excess(edges: Int32Array, v: number, more = 0): number {
  const e = edges[2 * v] + more - edges[2 * v + 1];
  return e * e;
}
