import { triangleNormal, vertexCount, type TriangleMesh } from '../geometry/triangle-mesh.js';
import { simplifyMesh } from '../mesh/simplify.js';
import { oppositeHalfEdges } from '../mesh/topology.js';
import { runBeside } from '../runtime/map-task.js';
import { createRunContext, type RunContext } from '../runtime/run-context.js';
import { TriangleBvh, type SurfaceHit } from '../spatial/triangle-bvh.js';
import { carryLabels } from './carry-labels.js';
import { PatchFlattener, stretchBelow } from './flatten-patch.js';
import { overlappingPairs } from './overlaps.js';
import { PatchCutter, type Patch } from './patch.js';
import { placeCharts, UNWRAP_DEFAULTS, type UnwrapOptions } from './place-charts.js';
import { projected, segmentMesh, type FlatRegion } from './segment-mesh.js';

/** A mesh's layout on its map. */
export interface UvAtlas {
  /** Per triangle corner two map coordinates in pixels from the top left (6m). */
  cornerPixels: Float32Array;
  /** Chart number of each triangle. */
  chart: Int32Array;
  charts: number;
  /** Edge of the map, pixels. */
  mapSize: number;
  /** Map pixels per mm. */
  density: number;
  /** Share of the map that triangles cover (0–1). */
  coverage: number;
  /** Stretch of lengths, more or less than 1, that 95 % of the area stay below; 1 = none. */
  stretch95: number;
  /** Per corner two coordinates in mm in its chart's plane (6m), before packing. */
  plane: Float32Array;
}

/** Charts are found on a mesh of about so many triangles. */
const LIGHT_TRIANGLES = 6000;
/** Rounds and sweeps by which the dense mesh settles in the light one's layout. */
const ROUNDS = 6;
const SWEEPS = 12;
const UNFLIP_PASSES = 200;
const PART_PASSES = 12;
/** Farther than any place of a patch, mm². */
const FAR = 1e18;

/**
 * Lays a mesh out on a square map. Charts are found on a lighter mesh of the same shape (`segmentMesh`), carried over, laid
 * flat as rigidly as can be (`PatchFlattener`), starting from the lighter one's layout; triangles that would still lie over
 * others get charts of their own; the charts are packed at one common scale. O(m log m) after the lighter mesh's share.
 *
 * @throws GeometryError `too-large` if the charts don't fit even at a very small scale
 */
export async function unwrapMesh(
  mesh: TriangleMesh,
  options: Partial<UnwrapOptions>,
  ctx: RunContext,
): Promise<UvAtlas> {
  const o = { ...UNWRAP_DEFAULTS, ...options };
  const m = mesh.indices.length / 3;
  const light = await simplifyMesh({ positions: mesh.positions, indices: mesh.indices }, LIGHT_TRIANGLES);
  const regions = segmentMesh(light, ctx.part(0, 0.5));
  const opposite = oppositeHalfEdges(mesh.indices, vertexCount(mesh));
  const areas = triangleAreas(mesh);
  const label = carryLabels(mesh, areas, opposite, light, regions);
  ctx.checkpoint(0.6);
  const cutter = new PatchCutter(mesh);
  const plane = new Float32Array(6 * m);
  const stretch = new Float32Array(m);
  const chart = new Int32Array(m);
  let charts = 0;
  const keep = ({ patch, uv }: FlatRegion, each: Float32Array): void => {
    patch.triangles.forEach((t, i) => {
      chart[t] = charts;
      stretch[t] = each[i];
      for (let k = 0; k < 3; k++) {
        const v = 2 * patch.corners[3 * i + k];
        plane[6 * t + 2 * k] = uv[v];
        plane[6 * t + 2 * k + 1] = uv[v + 1];
      }
    });
    charts++;
  };
  const waiting = label.parts.map((triangles, i) => ({ triangles, region: label.regions[i] as number | undefined }));
  const total = waiting.length;
  for (let next = waiting.pop(), done = 0; next; next = waiting.pop(), done++) {
    ctx.checkpoint(0.6 + 0.3 * Math.min(1, done / total));
    const patch = cutter.cut(next.triangles);
    const uv =
      next.region === undefined
        ? projected(mesh, patch, meanNormal(mesh, next.triangles))
        : laidOver(mesh, patch, light, regions[next.region]);
    const flattener = new PatchFlattener(mesh, patch, uv);
    if (patch.triangles.length > 1) flattener.relax(ROUNDS, SWEEPS);
    flattener.unflip(UNFLIP_PASSES);
    flattener.partOverlaps(PART_PASSES);
    // What is checked is what is kept.
    uv.set(Float32Array.from(uv));
    const each = new Float32Array(patch.triangles.length);
    flattener.stretches(each);
    const { kept, rest } = withoutOverlaps(patch, uv, each, opposite);
    for (const triangles of rest) waiting.push({ triangles, region: undefined });
    if (rest.length === 0) keep({ patch, uv }, each);
    else {
      const part = cutter.cut(Int32Array.from(kept, (i) => patch.triangles[i]));
      const places = new Map(Array.from(patch.vertices, (v, i) => [v, i]));
      const own = Float64Array.from({ length: 2 * part.vertices.length }, (_, i) => {
        return uv[2 * places.get(part.vertices[i >> 1])! + (i & 1)];
      });
      keep(
        { patch: part, uv: own },
        Float32Array.from(kept, (i) => each[i]),
      );
    }
  }
  const placed = placeCharts({ count: charts, plane }, chart, o, m);
  ctx.checkpoint(1);
  return {
    ...placed,
    chart,
    charts,
    mapSize: o.mapSize,
    stretch95: stretchBelow(stretch, areas, 0.95),
    plane,
  };
}

/** The same on another core, if there is one, while this one goes on with something else. */
export function unwrapBeside(mesh: TriangleMesh, options: UnwrapOptions, ctx: RunContext): Promise<UvAtlas> {
  const bare: TriangleMesh = { positions: mesh.positions, indices: mesh.indices };
  const { mapSize, gap } = options;
  return runBeside('unwrap', { mapSize, gap }, bare, ctx, () => unwrapMesh(bare, { mapSize, gap }, ctx));
}

/** `unwrapBeside` there. */
export const unwrapTask = (options: UnwrapOptions, mesh: TriangleMesh): Promise<UvAtlas> =>
  unwrapMesh(mesh, options, createRunContext());

function triangleAreas({ positions, indices }: TriangleMesh): Float32Array {
  const n = new Float64Array(3);
  return Float32Array.from(
    { length: indices.length / 3 },
    (_, t) => triangleNormal(positions, indices[3 * t], indices[3 * t + 1], indices[3 * t + 2], n) / 2,
  );
}

function meanNormal({ positions, indices }: TriangleMesh, triangles: Int32Array): Float64Array {
  const n = new Float64Array(3);
  const sum = new Float64Array(3);
  for (const t of triangles) {
    triangleNormal(positions, indices[3 * t], indices[3 * t + 1], indices[3 * t + 2], n);
    for (let k = 0; k < 3; k++) sum[k] += n[k];
  }
  return sum;
}

/** A dense patch in the layout of the light one: each vertex by the plane of the nearest light triangle, also a little beyond it. */
function laidOver(mesh: TriangleMesh, patch: Patch, light: TriangleMesh, region: FlatRegion): Float64Array {
  const indices = new Uint32Array(3 * region.patch.triangles.length);
  region.patch.triangles.forEach((t, i) => indices.set(light.indices.subarray(3 * t, 3 * t + 3), 3 * i));
  const bvh = new TriangleBvh({ positions: light.positions, indices });
  const hit: SurfaceHit = { triangle: 0, squaredDistance: 0, x: 0, y: 0, z: 0, v: 0, w: 0 };
  const { positions: p } = mesh;
  const q = light.positions;
  const uv = new Float64Array(2 * patch.vertices.length);
  const { corners } = region.patch;
  patch.vertices.forEach((v, i) => {
    bvh.closest(p[3 * v], p[3 * v + 1], p[3 * v + 2], Infinity, hit);
    const { triangle } = hit;
    const [a, b, c] = [0, 1, 2].map((k) => 3 * indices[3 * triangle + k]);
    // Shares of the corners where the vertex stands over the triangle's plane.
    let [uu, uw, ww, du, dw] = [0, 0, 0, 0, 0];
    for (let k = 0; k < 3; k++) {
      const [u, w, d] = [q[b + k] - q[a + k], q[c + k] - q[a + k], p[3 * v + k] - q[a + k]];
      uu += u * u;
      uw += u * w;
      ww += w * w;
      du += d * u;
      dw += d * w;
    }
    const det = uu * ww - uw * uw;
    const s = det > 0 ? (ww * du - uw * dw) / det : 0;
    const t = det > 0 ? (uu * dw - uw * du) / det : 0;
    for (let k = 0; k < 2; k++) {
      const [x, y, z] = [0, 1, 2].map((j) => region.uv[2 * corners[3 * triangle + j] + k]);
      uv[2 * i + k] = x + s * (y - x) + t * (z - x);
    }
  });
  return uv;
}

/**
 * Parts a laid out patch so that nothing in it lies over anything else or the wrong way up: from its middle outwards,
 * triangles that would lie over one already taken are left, in connected groups.
 * @returns places in the patch that are kept, and the triangles of each group left
 */
function withoutOverlaps(
  { triangles, vertices, corners }: Patch,
  uv: Float64Array,
  each: Float32Array,
  opposite: Int32Array,
): { kept: Int32Array; rest: Int32Array[] } {
  const n = triangles.length;
  const pairs = overlappingPairs(uv, corners);
  const wrong = each.some((s) => s === 0);
  if (pairs.length === 0 && (!wrong || n === 1)) return { kept: Int32Array.from({ length: n }, (_, i) => i), rest: [] };
  const clashes = new Map<number, number[]>();
  for (let i = 0; i < pairs.length; i++) {
    const list = clashes.get(pairs[i]);
    if (list) list.push(pairs[i ^ 1]);
    else clashes.set(pairs[i], [pairs[i ^ 1]]);
  }
  const place = new Map(Array.from(triangles, (t, i) => [t, i]));
  let middle = [0, 0];
  for (let v = 0; v < vertices.length; v++) middle = [middle[0] + uv[2 * v], middle[1] + uv[2 * v + 1]];
  middle = middle.map((c) => c / vertices.length);
  // What clashes is only begun with where all does, what lies the wrong way up (slivers) where nothing else is left.
  let start = 0;
  let nearest = Infinity;
  for (let i = 0; i < n; i++) {
    if (each[i] === 0) continue;
    const v = 2 * corners[3 * i];
    const d = (uv[v] - middle[0]) ** 2 + (uv[v + 1] - middle[1]) ** 2 + (clashes.has(i) ? FAR : 0);
    if (d < nearest) [nearest, start] = [d, i];
  }
  const taken = new Uint8Array(n);
  const grow = (from: number, may: (i: number) => boolean): number[] => {
    const list = [from];
    taken[from] = 1;
    for (let at = 0; at < list.length; at++) {
      for (let k = 0; k < 3; k++) {
        const h = opposite[3 * triangles[list[at]] + k];
        const i = h < 0 ? undefined : place.get(Math.floor(h / 3));
        if (i === undefined || taken[i] || !may(i)) continue;
        taken[i] = 1;
        list.push(i);
      }
    }
    return list;
  };
  const kept = grow(start, (i) => each[i] > 0 && !clashes.get(i)?.some((j) => taken[j]));
  const rest: Int32Array[] = [];
  for (let i = 0; i < n; i++) {
    if (!taken[i])
      rest.push(
        Int32Array.from(
          grow(i, () => true),
          (j) => triangles[j],
        ),
      );
  }
  return { kept: Int32Array.from(kept), rest };
}

/** Pairs of triangles of a chart that lie over each other: none, if all went well. About O(m). */
export function countOverlaps({ plane, chart, charts }: UvAtlas): number {
  const of: number[][] = Array.from({ length: charts }, () => []);
  chart.forEach((c, t) => of[c].push(t));
  let pairs = 0;
  for (const triangles of of) {
    const corners = Int32Array.from({ length: 3 * triangles.length }, (_, i) => i);
    const uv = new Float32Array(6 * triangles.length);
    triangles.forEach((t, i) => uv.set(plane.subarray(6 * t, 6 * t + 6), 6 * i));
    pairs += overlappingPairs(uv, corners).length / 2;
  }
  return pairs;
}
