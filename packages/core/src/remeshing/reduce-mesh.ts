import { triangleCount, vertexCount, type TriangleMesh } from '../geometry/triangle-mesh.js';
import { IndexedHeap } from '../math/indexed-heap.js';
import { findCrossings } from '../mesh/crossings.js';
import { makeManifold } from '../mesh/repair.js';
import type { RunContext } from '../runtime/run-context.js';
import { EdgeQuadrics, type EdgeEnd } from './edge-quadrics.js';
import { fanHolds } from './fan-holds.js';
import { CollapseRule, EditableMesh, MOST_EDGES, previousHalfEdge } from './editable-mesh.js';

export interface ReduceMeshOptions {
  /** Wanted number of triangles. */
  triangles: number;
  /** No edge is drawn together that would leave the surface further than about this, mm; 0 = no limit. */
  maxDeviation: number;
}

export const REDUCE_MESH_DEFAULTS: ReduceMeshOptions = { triangles: 200_000, maxDeviation: 0 };

/** A face may turn by no more than this when a corner of it moves: cosine of 75°, found by trying 45° to 85°. */
const LEAST_TURN_COSINE = 0.26;
/** A face that gets thinner must keep at least this of an even one's shape (4 √3 area over the squared sides). */
const LEAST_SHAPE = 0.005;
/** Times that places are taken back where the result crosses itself. */
const MOST_ROUNDS = 4;

/**
 * Reduces a mesh by drawing edges together, the one first that costs least (see `EdgeQuadrics`). Rims stay rims; crisp edges
 * stay since moving them costs. Where the result crosses itself and the source does not, it is done again with those places
 * left as they were: the same edges are drawn together but for these, and then others. O(m log m).
 * @returns positions and triangles alone (see `carryAttributes`)
 * @throws GeometryError if the context is cancelled
 */
export function reduceMesh(source: TriangleMesh, options: Partial<ReduceMeshOptions>, ctx: RunContext): TriangleMesh {
  const o = { ...REDUCE_MESH_DEFAULTS, ...options };
  const { mesh } = makeManifold({ positions: source.positions, indices: source.indices });
  if (triangleCount(mesh) <= o.triangles) return mesh;
  const locked = new Uint8Array(vertexCount(mesh));
  let history: CollapseHistory | undefined;
  for (let round = 0; ; round++) {
    const share = ctx.part(round === 0 ? 0 : 0.8, round === 0 ? 0.75 : 1);
    const reducer = new Reducer(mesh, locked, o);
    if (history) reducer.repeat(history);
    reducer.run(share);
    const { mesh: light, oldFromNew } = reducer.mesh.compact();
    history = reducer.history;
    if (round === MOST_ROUNDS || !reducer.lock(oldFromNew, light, findCrossings(light))) return light;
  }
}

/** Edges that were drawn together, in turn: ends, place, and how far the surface there may have moved. */
class CollapseHistory {
  length = 0;
  readonly ends: Int32Array;
  readonly places: Float64Array;

  constructor(most: number) {
    this.ends = new Int32Array(2 * most);
    this.places = new Float64Array(4 * most);
  }

  add(kept: number, gone: number, { x, y, z }: EdgeEnd, moved: number): void {
    const i = this.length++;
    this.ends[2 * i] = kept;
    this.ends[2 * i + 1] = gone;
    this.places[4 * i] = x;
    this.places[4 * i + 1] = y;
    this.places[4 * i + 2] = z;
    this.places[4 * i + 3] = moved;
  }
}

class Reducer {
  readonly mesh: EditableMesh;
  readonly history: CollapseHistory;
  private readonly rule: CollapseRule;
  private quadrics!: EdgeQuadrics;
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

  /** @param locked vertices that stay as they are */
  constructor(
    private readonly source: TriangleMesh,
    private readonly locked: Uint8Array,
    private readonly options: ReduceMeshOptions,
  ) {
    this.mesh = new EditableMesh(source);
    this.rule = new CollapseRule(this.mesh);
    this.heap = new IndexedHeap(3 * triangleCount(source));
    this.history = new CollapseHistory(vertexCount(source));
    this.into = Int32Array.from({ length: vertexCount(source) }, (_, v) => v);
    this.moved = new Float32Array(vertexCount(source));
    this.stale = new Uint8Array(3 * triangleCount(source));
  }

  /** Draws the same edges together as another reducer did, where their ends are not locked and it still can be done. */
  repeat({ length, ends, places }: CollapseHistory): void {
    const { end, mesh, locked } = this;
    for (let i = 0; i < length; i++) {
      const a = ends[2 * i];
      const b = ends[2 * i + 1];
      if (locked[a] || locked[b]) continue;
      const h = mesh.leaving[a] < 0 || mesh.leaving[b] < 0 ? -1 : mesh.halfEdge(a, b);
      if (h < 0) continue;
      end.x = places[4 * i];
      end.y = places[4 * i + 1];
      end.z = places[4 * i + 2];
      if (this.rule.allows(h) && this.facesHold(h)) this.join(h, places[4 * i + 3]);
    }
  }

  run(ctx: RunContext): void {
    const { mesh, heap, end, stale } = this;
    this.quadrics = new EdgeQuadrics(mesh);
    for (let h = 0; h < mesh.origin.length; h++) if (mesh.origin[h] >= 0 && this.isLead(h)) this.rate(h);
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

  /**
   * Locks the vertices that came into those of triangles that cross, but for those that crossed in the source: these are
   * better reduced than kept.
   * @param pairs of triangles of the compacted mesh
   * @returns false if nothing was locked that was not before
   */
  lock(oldFromNew: Uint32Array, { indices }: TriangleMesh, pairs: Uint32Array): boolean {
    const { locked } = this;
    const corner = (t: number, k: number): number => oldFromNew[indices[3 * t + k]];
    const crossing = new Uint8Array(locked.length);
    for (const t of pairs) for (let k = 0; k < 3; k++) crossing[corner(t, k)] = 1;
    const native = this.crossInSource(crossing);
    const fresh = new Uint8Array(locked.length);
    for (let i = 0; i < pairs.length; i += 2) {
      const corners = [0, 1, 2].flatMap((k) => [corner(pairs[i], k), corner(pairs[i + 1], k)]);
      if (!corners.some((v) => native[v])) for (const v of corners) fresh[v] = 1;
    }
    let any = false;
    for (let v = 0; v < locked.length; v++) {
      if (locked[v] || !fresh[this.keptOf(v)]) continue;
      locked[v] = 1;
      any = true;
    }
    return any;
  }

  /** Which of some kept vertices have source triangles in them that cross each other. */
  private crossInSource(kept: Uint8Array): Uint8Array {
    const { source } = this;
    const own: number[] = [];
    for (let t = 0; t < source.indices.length; t += 3) {
      const corners = source.indices.subarray(t, t + 3);
      if (corners.some((v) => kept[this.keptOf(v)])) own.push(...corners);
    }
    const out = new Uint8Array(kept.length);
    for (const t of findCrossings({ positions: source.positions, indices: Uint32Array.from(own) }))
      for (let k = 0; k < 3; k++) out[this.keptOf(own[3 * t + k])] = 1;
    return out;
  }

  /** The vertex that one became a part of. */
  private keptOf(v: number): number {
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

  /** How far the surface may lie off the source where an edge is drawn together, mm. */
  private movedBy(h: number): number {
    const { end, moved, mesh } = this;
    return Math.max(moved[mesh.origin[h]], moved[mesh.target(h)]) + Math.sqrt((3 * end.cost) / (end.area + 1e-300));
  }

  private staysClose(h: number): boolean {
    const { maxDeviation } = this.options;
    return maxDeviation <= 0 || this.movedBy(h) <= maxDeviation;
  }

  /** Whether no face around an edge turns over or becomes a sliver when both ends go to the new place. */
  private facesHold(h: number): boolean {
    const { mesh } = this;
    const a = mesh.origin[h];
    const b = mesh.target(h);
    const { x, y, z } = this.end;
    return (
      fanHolds(mesh, a, b, x, y, z, LEAST_TURN_COSINE, LEAST_SHAPE) &&
      fanHolds(mesh, b, a, x, y, z, LEAST_TURN_COSINE, LEAST_SHAPE)
    );
  }

  private collapse(h: number): void {
    const { mesh, quadrics, fan, ring } = this;
    const a = mesh.origin[h];
    this.forget(h);
    if (mesh.twin[h] >= 0) this.forget(mesh.twin[h]);
    this.join(h, this.movedBy(h));
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

  private join(h: number, moved: number): void {
    const { mesh, end } = this;
    const a = mesh.origin[h];
    const b = mesh.target(h);
    this.moved[a] = moved;
    this.into[b] = a;
    this.history.add(a, b, end, moved);
    mesh.collapse(h);
    mesh.positions[3 * a] = end.x;
    mesh.positions[3 * a + 1] = end.y;
    mesh.positions[3 * a + 2] = end.z;
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
