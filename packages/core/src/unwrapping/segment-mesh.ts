import type { TriangleMesh } from '../geometry/triangle-mesh.js';
import { IndexedHeap } from '../math/indexed-heap.js';
import { oppositeHalfEdges } from '../mesh/topology.js';
import type { RunContext } from '../runtime/run-context.js';
import { PatchFlattener } from './flatten-patch.js';
import { overlappingPairs } from './overlaps.js';
import { PatchCutter, type Patch } from './patch.js';
import { RegionGraph, type Region } from './region-graph.js';

/** A part of the mesh that lies flat. */
export interface FlatRegion {
  patch: Patch;
  /** Two coordinates a vertex of the patch, mm. */
  uv: Float64Array;
}

/** First areas are about flat: 1 less the length of their mean normal stays below this, a cone of some 25°. */
const ABOUT_FLAT = 0.05;
/** A chart may be stretched by so much at 95 % of its area. */
const MOST_STRETCH = 1.2;
/** Small charts, less than this share of the surface, may be stretched more: they hardly show, and there are many. */
const SMALL = 0.006;
const MOST_STRETCH_SMALL = 1.8;
/** No chart is larger than this share of the surface: many of middle size pack better than few large ones. */
const LARGEST = 0.15;
/** A chart of more than this share of the surface fills at least this share of its convex hull, so that charts pack well. */
const COMPACT_FROM = 0.02;
const FULLEST = 0.75;
/** Two charts that come together are flattened by so many rounds at a time, and sweeps in each; not more than so many in all. */
const ROUNDS = 4;
const SWEEPS = 16;
const MOST_ROUNDS = 16;
/** They are given up at so many times the limit, or with this share of triangles the wrong way up. */
const HOPELESS = 1.4;
const TURNED = 0.1;

/**
 * Cuts a surface into few charts that lie flat with little stretch: about flat areas first, then neighbours come together,
 * small ones with long common borders first and creases last, wherever both together still lie flat without overlap.
 * Sources: M. Garland, A. Willmott, P. Heckbert (2001), Hierarchical face clustering on polygonal surfaces; P. Sander et al.
 * (2003), Multi-chart geometry images.
 */
export function segmentMesh(mesh: TriangleMesh, ctx: RunContext): FlatRegion[] {
  const m = mesh.indices.length / 3;
  const opposite = oppositeHalfEdges(mesh.indices, mesh.positions.length / 3);
  const single = Int32Array.from({ length: m }, (_, t) => t);
  const graph = new RegionGraph(mesh, opposite, single, m);
  joinAll(graph, flatCost, (a, b, cost) => cost < ABOUT_FLAT && (graph.merge(a, b), true), ctx.part(0, 0.2));
  const joiner = new ChartJoiner(mesh, graph);
  joiner.start();
  const whole = graph.area;
  joinAll(
    graph,
    (a, b, shared, even) => chartCost(a, b, shared, even, whole),
    (a, b) => joiner.tryJoin(a, b),
    ctx.part(0.2, 1),
  );
  return joiner.flatRegions();
}

/** How far two regions together are from flat, with a little for a long border. */
function flatCost(a: Region, b: Region, shared: number): number {
  const x = a.normal[0] + b.normal[0];
  const y = a.normal[1] + b.normal[1];
  const z = a.normal[2] + b.normal[2];
  const area = a.area + b.area;
  const border = a.border + b.border - 2 * shared;
  return 1 - Math.sqrt(x * x + y * y + z * z) / (area || 1) + 1e-3 * (border / Math.sqrt(area || 1));
}

/** Small regions first, those that share most of a border, and those that are compact together. */
function chartCost(a: Region, b: Region, shared: number, even: number, whole: number): number {
  const common = even / Math.min(a.border, b.border);
  const area = a.area + b.area;
  const border = a.border + b.border - 2 * shared;
  const compact = (border * border) / (16 * area);
  return ((area / whole) * compact) / Math.max(1e-3, common) ** 2;
}

/**
 * Brings neighbours together, the cheapest pair first, as long as `join` does it; a pair that it refuses is not asked again
 * until one of the two has changed. O(n log n) pairs.
 */
function joinAll(
  graph: RegionGraph,
  cost: (a: Region, b: Region, shared: number, even: number) => number,
  join: (a: number, b: number, cost: number) => boolean,
  ctx: RunContext,
): void {
  const { regions } = graph;
  const heap = new IndexedHeap(regions.length);
  const best = new Int32Array(regions.length).fill(-1);
  const lowest = new Float64Array(regions.length);
  const refused = new Map<number, Set<number>>();
  const settle = (a: number): void => {
    let least = Infinity;
    best[a] = -1;
    regions[a]!.neighbours.forEach((even, b) => {
      if (refused.get(a)?.has(b)) return;
      const c = cost(regions[a]!, regions[b]!, regions[a]!.shared.get(b)!, even);
      if (c < least) {
        least = c;
        best[a] = b;
      }
    });
    lowest[a] = least;
    if (best[a] < 0) heap.remove(a);
    else heap.set(a, least);
  };
  let left = 0;
  regions.forEach((r, a) => {
    if (!r) return;
    left++;
    settle(a);
  });
  const all = left;
  for (let turn = 0, a = heap.pop(); a >= 0; a = heap.pop(), turn++) {
    if (turn % 64 === 0) ctx.checkpoint(1 - left / all);
    const b = best[a];
    const around = [...regions[b]!.neighbours.keys()];
    if (!join(a, b, lowest[a])) {
      for (const [x, y] of [
        [a, b],
        [b, a],
      ]) {
        let set = refused.get(x);
        if (!set) refused.set(x, (set = new Set()));
        set.add(y);
        settle(x);
      }
      continue;
    }
    left--;
    heap.remove(b);
    refused.get(a)?.forEach((c) => refused.get(c)?.delete(a));
    refused.get(b)?.forEach((c) => refused.get(c)?.delete(b));
    refused.delete(a);
    refused.delete(b);
    settle(a);
    for (const c of new Set([...around, ...regions[a]!.neighbours.keys()])) if (c !== a && regions[c]) settle(c);
  }
}

/** Keeps every region's layout and tries what two of them give together. */
class ChartJoiner {
  private readonly cutter: PatchCutter;
  private readonly flat: (FlatRegion | undefined)[] = [];
  /** Place of a mesh vertex in the layout that is being joined to. */
  private readonly slot: Int32Array;

  constructor(
    private readonly mesh: TriangleMesh,
    private readonly graph: RegionGraph,
  ) {
    this.cutter = new PatchCutter(mesh);
    this.slot = new Int32Array(mesh.positions.length / 3).fill(-1);
  }

  /** Lays each first area flat along its mean normal. */
  start(): void {
    this.graph.regions.forEach((region, r) => {
      if (!region) return;
      const patch = this.cutter.cut(region.triangles);
      const flattener = new PatchFlattener(this.mesh, patch, projected(this.mesh, patch, region.normal));
      if (patch.triangles.length > 1) {
        flattener.relax(ROUNDS, SWEEPS);
        flattener.unflip(50);
      }
      this.flat[r] = { patch, uv: flattener.uv };
    });
  }

  /** Joins two regions if they lie flat together. */
  tryJoin(a: number, b: number): boolean {
    const one = this.graph.regions[a]!;
    const two = this.graph.regions[b]!;
    if (one.area + two.area > LARGEST * this.graph.area) return false;
    const triangles = new Int32Array(one.triangles.length + two.triangles.length);
    triangles.set(one.triangles);
    triangles.set(two.triangles, one.triangles.length);
    const patch = this.cutter.cut(triangles);
    const flattener = new PatchFlattener(this.mesh, patch, this.together(patch, this.flat[a]!, this.flat[b]!));
    const limit = Math.min(one.area, two.area) < SMALL * this.graph.area ? MOST_STRETCH_SMALL : MOST_STRETCH;
    let fits = false;
    for (let spent = 0; !fits; spent += ROUNDS) {
      if (spent >= MOST_ROUNDS) return false;
      flattener.relax(ROUNDS, SWEEPS);
      const { stretch95, flipped } = flattener.flatness();
      if (flipped > TURNED * triangles.length + 2 || stretch95 > HOPELESS * limit) return false;
      fits = stretch95 <= limit && flattener.unflip(30) === 0 && flattener.flatness().stretch95 <= limit;
    }
    if (one.area + two.area > COMPACT_FROM * this.graph.area && fullness(flattener.uv, patch) < FULLEST) return false;
    if (overlappingPairs(flattener.uv, patch.corners).length > 0) return false;
    this.flat[a] = { patch, uv: flattener.uv };
    this.flat[b] = undefined;
    this.graph.merge(a, b);
    return true;
  }

  /** The second layout turned and moved to the first along their common border. */
  private together(patch: Patch, one: FlatRegion, two: FlatRegion): Float64Array {
    const { slot } = this;
    one.patch.vertices.forEach((v, i) => (slot[v] = i));
    const { uv: p } = one;
    const { uv: q } = two;
    let common = 0;
    const mean = [0, 0, 0, 0];
    two.patch.vertices.forEach((v, i) => {
      const s = slot[v];
      if (s < 0) return;
      common++;
      mean[0] += p[2 * s];
      mean[1] += p[2 * s + 1];
      mean[2] += q[2 * i];
      mean[3] += q[2 * i + 1];
    });
    for (let k = 0; k < 4; k++) mean[k] /= common;
    let [cos, sin] = [0, 0];
    two.patch.vertices.forEach((v, i) => {
      const s = slot[v];
      if (s < 0) return;
      const [x, y] = [q[2 * i] - mean[2], q[2 * i + 1] - mean[3]];
      const [u, w] = [p[2 * s] - mean[0], p[2 * s + 1] - mean[1]];
      cos += x * u + y * w;
      sin += x * w - y * u;
    });
    const length = Math.sqrt(cos * cos + sin * sin);
    [cos, sin] = length > 0 ? [cos / length, sin / length] : [1, 0];
    // The patch lists the first region's vertices first, then the second's own, both in their order.
    const uv = new Float64Array(2 * patch.vertices.length);
    uv.set(p);
    let next = p.length;
    two.patch.vertices.forEach((v, i) => {
      if (slot[v] >= 0) return;
      const [x, y] = [q[2 * i] - mean[2], q[2 * i + 1] - mean[3]];
      uv[next++] = cos * x - sin * y + mean[0];
      uv[next++] = sin * x + cos * y + mean[1];
    });
    one.patch.vertices.forEach((v) => (slot[v] = -1));
    return uv;
  }

  flatRegions(): FlatRegion[] {
    return this.flat.filter((f) => f !== undefined);
  }
}

/** Share of its convex hull that a patch laid flat fills. Hull: A. Andrew (1979), Another efficient algorithm for convex hulls in two dimensions. */
function fullness(uv: Float64Array, { vertices, corners }: Patch): number {
  let area = 0;
  for (let at = 0; at < corners.length; at += 3) {
    const [a, b, c] = [2 * corners[at], 2 * corners[at + 1], 2 * corners[at + 2]];
    area += Math.abs((uv[b] - uv[a]) * (uv[c + 1] - uv[a + 1]) - (uv[c] - uv[a]) * (uv[b + 1] - uv[a + 1])) / 2;
  }
  const order = Array.from(vertices.keys()).sort((a, b) => uv[2 * a] - uv[2 * b] || uv[2 * a + 1] - uv[2 * b + 1]);
  const turn = (a: number, b: number, c: number): number =>
    (uv[2 * b] - uv[2 * a]) * (uv[2 * c + 1] - uv[2 * a + 1]) -
    (uv[2 * c] - uv[2 * a]) * (uv[2 * b + 1] - uv[2 * a + 1]);
  const hull: number[] = [];
  for (const half of [order, order.slice().reverse()]) {
    const from = hull.length;
    for (const v of half) {
      while (hull.length >= from + 2 && turn(hull[hull.length - 2], hull[hull.length - 1], v) <= 0) hull.pop();
      hull.push(v);
    }
    hull.pop();
  }
  let twice = 0;
  hull.forEach((v, i) => {
    const w = hull[(i + 1) % hull.length];
    twice += uv[2 * v] * uv[2 * w + 1] - uv[2 * w] * uv[2 * v + 1];
  });
  return twice > 0 ? area / (twice / 2) : 1;
}

/** A patch seen along a direction; u, v and the direction are right-handed. */
export function projected({ positions: p }: TriangleMesh, patch: Patch, normal: ArrayLike<number>): Float64Array {
  const length = Math.hypot(normal[0], normal[1], normal[2]);
  const [x, y, z] = length > 0 ? [normal[0] / length, normal[1] / length, normal[2] / length] : [0, 0, 1];
  const up = Math.abs(z) < 0.9 ? [0, 0, 1] : [0, 1, 0];
  let u = [up[1] * z - up[2] * y, up[2] * x - up[0] * z, up[0] * y - up[1] * x];
  const l = Math.hypot(u[0], u[1], u[2]);
  u = u.map((c) => c / l);
  const v = [y * u[2] - z * u[1], z * u[0] - x * u[2], x * u[1] - y * u[0]];
  const uv = new Float64Array(2 * patch.vertices.length);
  patch.vertices.forEach((at, i) => {
    uv[2 * i] = p[3 * at] * u[0] + p[3 * at + 1] * u[1] + p[3 * at + 2] * u[2];
    uv[2 * i + 1] = p[3 * at] * v[0] + p[3 * at + 1] * v[1] + p[3 * at + 2] * v[2];
  });
  return uv;
}
