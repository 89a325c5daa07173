import { triangleCount, vertexCount, type TriangleMesh } from '../geometry/triangle-mesh.js';
import { IndexedHeap } from '../math/indexed-heap.js';
import { findCrossings } from '../mesh/crossings.js';
import { makeManifold } from '../mesh/repair.js';
import { nextHalfEdge } from '../mesh/topology.js';
import type { RunContext } from '../runtime/run-context.js';
import { EdgeQuadrics, type EdgeEnd } from './edge-quadrics.js';
import { CollapseRule, EditableMesh, MOST_EDGES, previousHalfEdge } from './editable-mesh.js';

export interface ReduceMeshOptions {
  /** Wanted number of triangles. */
  triangles: number;
  /** No edge is drawn together that would leave the surface further than about this, mm; 0 = no limit. */
  maxDeviation: number;
}

export const REDUCE_MESH_DEFAULTS: ReduceMeshOptions = { triangles: 200_000, maxDeviation: 0 };

export interface ReducedMesh {
  /** Positions and triangles alone: see `carryAttributes`. */
  mesh: TriangleMesh;
  /** Pairs of triangles that cross now and did not before. */
  newCrossings: number;
}

/** A face may turn by no more than this when a corner of it moves: cosine of 75°, found by trying 45° to 85°. */
const LEAST_TURN_COSINE = 0.26;
/** A face that gets thinner must keep at least this of an even one's shape (4 √3 area over the squared sides). */
const LEAST_SHAPE = 0.005;
/** Times that a mesh is reduced anew with the places left alone where it crossed itself. */
const MOST_ROUNDS = 4;

/**
 * Reduces a mesh by drawing edges together, the one first that costs least (see `EdgeQuadrics`). Rims stay rims; crisp edges
 * stay since moving them costs. Where the result crosses itself and the source did not, it is done anew with those
 * places left as they were. O(m log m) a round.
 * @throws GeometryError if the context is cancelled
 */
export function reduceMesh(source: TriangleMesh, options: Partial<ReduceMeshOptions>, ctx: RunContext): ReducedMesh {
  const o = { ...REDUCE_MESH_DEFAULTS, ...options };
  const { mesh } = makeManifold(source);
  const locked = new Uint8Array(vertexCount(mesh));
  let best: ReducedMesh | undefined;
  for (let round = 0; round < MOST_ROUNDS; round++) {
    const reducer = new Reducer(mesh, locked, o);
    reducer.run(ctx.part(1 - 1 / 2 ** round, 1 - 0.6 / 2 ** round));
    const { mesh: light, oldFromNew } = reducer.mesh.compact();
    const pairs = findCrossings(light);
    const crossings = pairs.length / 2;
    if (!best || crossings < best.newCrossings) best = { mesh: light, newCrossings: crossings };
    if (process.env.DBG) console.log('round', round, crossings);
    if (crossings === 0 || process.env.ONE) break;
    const crossing = new Uint8Array(vertexCount(mesh));
    for (const t of pairs) for (let k = 0; k < 3; k++) crossing[oldFromNew[light.indices[3 * t + k]]] = 1;
    for (let v = 0; v < locked.length; v++) if (crossing[reducer.keptOf(v)]) locked[v] = 1;
  }
  return best!;
}

class Reducer {
  readonly mesh: EditableMesh;
  private readonly rule: CollapseRule;
  private readonly quadrics: EdgeQuadrics;
  private readonly heap: IndexedHeap;
  /** The vertex that each was drawn into. */
  private readonly into: Int32Array;
  /** Distance that the surface at a vertex may have moved already, mm. */
  private readonly moved: Float32Array;
  /** Edges whose cost may have changed since it was found. */
  private readonly stale: Uint8Array;
  private readonly end: EdgeEnd = { x: 0, y: 0, z: 0, cost: 0, area: 0 };
  private readonly fan = new Int32Array(MOST_EDGES);
  private readonly ring = new Int32Array(MOST_EDGES);

  constructor(
    source: TriangleMesh,
    private readonly locked: Uint8Array,
    private readonly options: ReduceMeshOptions,
  ) {
    this.mesh = new EditableMesh(source);
    this.rule = new CollapseRule(this.mesh);
    this.quadrics = new EdgeQuadrics(this.mesh);
    this.heap = new IndexedHeap(3 * triangleCount(source));
    this.into = Int32Array.from({ length: vertexCount(source) }, (_, v) => v);
    this.moved = new Float32Array(vertexCount(source));
    this.stale = new Uint8Array(3 * triangleCount(source));
  }

  run(ctx: RunContext): void {
    const { mesh, heap, end, stale } = this;
    for (let h = 0; h < mesh.origin.length; h++) if (this.isLead(h)) this.rate(h);
    const from = mesh.triangles;
    const wanted = this.options.triangles;
    let count = 0;
    while (mesh.triangles > wanted) {
      const h = heap.pop();
      if (h < 0) return;
      if ((++count & 4095) === 0) ctx.checkpoint((from - mesh.triangles) / (from - wanted));
      if (stale[h]) {
        this.rate(h);
        continue;
      }
      this.quadrics.evaluate(h, end);
      if (this.rule.allows(h) && this.staysClose(h) && this.facesHold(h)) this.collapse(h);
    }
  }

  /** The vertex that one became a part of. */
  keptOf(v: number): number {
    const { into } = this;
    let root = v;
    while (into[root] !== root) root = into[root];
    while (into[v] !== root) [v, into[v]] = [into[v], root];
    return root;
  }

  /** Of the two half-edges of an edge one stands for it. */
  private isLead(h: number): boolean {
    return this.mesh.twin[h] < h;
  }

  private rate(h: number): void {
    const { mesh, end } = this;
    this.stale[h] = 0;
    if (this.locked[mesh.origin[h]] || this.locked[mesh.target(h)]) return;
    this.quadrics.evaluate(h, end);
    this.heap.set(h, end.cost);
  }

  private staysClose(h: number): boolean {
    const { options, end, moved, mesh } = this;
    if (options.maxDeviation <= 0) return true;
    const before = Math.max(moved[mesh.origin[h]], moved[mesh.target(h)]);
    return before + Math.sqrt((3 * end.cost) / (end.area + 1e-300)) <= options.maxDeviation;
  }

  /** Whether no face around an edge turns over or becomes a sliver when both ends go to the new place. */
  private facesHold(h: number): boolean {
    const { mesh } = this;
    const a = mesh.origin[h];
    const b = mesh.target(h);
    return this.fanHolds(a, b) && this.fanHolds(b, a);
  }

  private fanHolds(v: number, other: number): boolean {
    const { mesh, fan, end } = this;
    const p = mesh.positions;
    const count = mesh.fan(v, fan);
    const x = p[3 * v];
    const y = p[3 * v + 1];
    const z = p[3 * v + 2];
    for (let i = 0; i < count; i++) {
      const b = mesh.target(fan[i]);
      const c = mesh.target(nextHalfEdge(fan[i]));
      if (b === other || c === other) continue;
      const bx = p[3 * b];
      const by = p[3 * b + 1];
      const bz = p[3 * b + 2];
      const ex = p[3 * c] - bx;
      const ey = p[3 * c + 1] - by;
      const ez = p[3 * c + 2] - bz;
      const ux = x - bx;
      const uy = y - by;
      const uz = z - bz;
      const wx = end.x - bx;
      const wy = end.y - by;
      const wz = end.z - bz;
      const nx = ey * uz - ez * uy;
      const ny = ez * ux - ex * uz;
      const nz = ex * uy - ey * ux;
      const mx = ey * wz - ez * wy;
      const my = ez * wx - ex * wz;
      const mz = ex * wy - ey * wx;
      const n2 = nx * nx + ny * ny + nz * nz;
      const m2 = mx * mx + my * my + mz * mz;
      const dot = nx * mx + ny * my + nz * mz;
      if (!(dot > 0) && n2 > 0) return false;
      if (dot * dot < LEAST_TURN_COSINE * LEAST_TURN_COSINE * n2 * m2) return false;
      const e2 = ex * ex + ey * ey + ez * ez;
      const shape = shapeOf(m2, e2, wx, wy, wz, ex, ey, ez);
      if (shape < LEAST_SHAPE && shape < shapeOf(n2, e2, ux, uy, uz, ex, ey, ez)) return false;
    }
    return true;
  }

  private collapse(h: number): void {
    const { mesh, quadrics, end, moved, fan, ring } = this;
    const a = mesh.origin[h];
    const b = mesh.target(h);
    moved[a] = Math.max(moved[a], moved[b]) + Math.sqrt((3 * end.cost) / (end.area + 1e-300));
    this.into[b] = a;
    this.forget(h);
    if (mesh.twin[h] >= 0) this.forget(mesh.twin[h]);
    mesh.collapse(h);
    mesh.positions[3 * a] = end.x;
    mesh.positions[3 * a + 1] = end.y;
    mesh.positions[3 * a + 2] = end.z;
    quadrics.moved(a);
    const count = mesh.neighbours(a, ring);
    // Edges at the vertex itself are rated at once, those around it when their turn comes.
    for (let i = 0; i < count; i++) {
      const edges = mesh.fan(ring[i], fan);
      for (let k = 0; k < edges; k++) this.touch(fan[k], a);
      const last = previousHalfEdge(fan[edges - 1]);
      if (mesh.twin[last] < 0) this.touch(last, a);
    }
  }

  private touch(h: number, centre: number): void {
    const lead = this.isLead(h) ? h : this.mesh.twin[h];
    const atCentre = this.mesh.origin[lead] === centre || this.mesh.target(lead) === centre;
    if (atCentre || !this.heap.has(lead)) this.rate(lead);
    else this.stale[lead] = 1;
  }

  /** Takes the edges of a triangle that goes out of the queue. */
  private forget(h: number): void {
    const t = h - (h % 3);
    for (let k = 0; k < 3; k++) {
      const e = t + k;
      this.heap.remove(e);
      const twin = this.mesh.twin[e];
      if (twin >= 0) this.heap.remove(twin);
    }
  }
}

/** 4 √3 area over the sum of squared sides: 1 for an even triangle; from the squared doubled area and two sides. */
function shapeOf(
  n2: number,
  e2: number,
  wx: number,
  wy: number,
  wz: number,
  ex: number,
  ey: number,
  ez: number,
): number {
  const w2 = wx * wx + wy * wy + wz * wz;
  const dx = wx - ex;
  const dy = wy - ey;
  const dz = wz - ez;
  return (2 * Math.sqrt(3 * n2)) / (e2 + w2 + dx * dx + dy * dy + dz * dz + 1e-300);
}
