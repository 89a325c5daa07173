import { triangleNormal, vertexCount, type TriangleMesh } from '../geometry/triangle-mesh.js';
import type { Vec3 } from '../math/mat4.js';
import { DisjointSets } from '../spatial/disjoint-sets.js';

/** A connected part of a surface whose values lie beyond a limit. */
export interface WeakPlace {
  /** Where it is, mm: its vertex that lies next to the middle of it, and which that is. */
  place: Vec3;
  vertex: number;
  /** The way it faces, unit. */
  facing: Vec3;
  /** mm². */
  area: number;
  /** The worst value in it. */
  worst: number;
}

/** How a surface's area spreads over the values of its vertices. */
export interface AreaSpread {
  /** From the lowest bar's lower end to the highest bar's upper end. */
  from: number;
  to: number;
  /** Area of each bar, mm². */
  bars: number[];
  /** Of all vertices whose value is known, mm². */
  known: number;
  /** Of all others. */
  unknown: number;
}

/** A third of each triangle's area to each of its corners, mm². O(m). */
export function vertexAreas(mesh: TriangleMesh): Float64Array {
  const out = new Float64Array(vertexCount(mesh));
  const n = new Float64Array(3);
  for (let t = 0; t < mesh.indices.length; t += 3) {
    const [a, b, c] = [mesh.indices[t], mesh.indices[t + 1], mesh.indices[t + 2]];
    const third = triangleNormal(mesh.positions, a, b, c, n) / 6;
    out[a] += third;
    out[b] += third;
    out[c] += third;
  }
  return out;
}

/** Spreads the area over values in even bars; what lies beyond `to` counts in the last. NaN is not known. O(n). */
export function areaSpread(areas: Float64Array, values: ArrayLike<number>, to: number, bars: number): AreaSpread {
  const out: AreaSpread = { from: 0, to, bars: new Array<number>(bars).fill(0), known: 0, unknown: 0 };
  for (let v = 0; v < areas.length; v++) {
    const x = values[v];
    if (!(x >= 0)) {
      out.unknown += areas[v];
      continue;
    }
    out.known += areas[v];
    out.bars[Math.min(bars - 1, Math.floor((x / to) * bars))] += areas[v];
  }
  return out;
}

/**
 * The places of a surface where `isWeak` holds, joined along edges, the largest first; ties by position in the mesh.
 * @param value how bad a vertex is: the larger the worse
 * O(n + m).
 */
export function weakPlaces(
  mesh: TriangleMesh,
  areas: Float64Array,
  value: (vertex: number) => number,
  isWeak: (vertex: number) => boolean,
  most: number,
): WeakPlace[] {
  const n = areas.length;
  const weak = new Uint8Array(n);
  for (let v = 0; v < n; v++) weak[v] = isWeak(v) ? 1 : 0;
  const sets = new DisjointSets(n);
  for (let t = 0; t < mesh.indices.length; t += 3)
    for (let k = 0; k < 3; k++) {
      const [a, b] = [mesh.indices[t + k], mesh.indices[t + ((k + 1) % 3)]];
      if (weak[a] && weak[b]) sets.union(a, b);
    }
  const found = new Map<number, { area: number; sum: number[]; worst: number }>();
  const p = mesh.positions;
  for (let v = 0; v < n; v++) {
    if (!weak[v]) continue;
    const root = sets.find(v);
    let part = found.get(root);
    if (!part) found.set(root, (part = { area: 0, sum: [0, 0, 0], worst: -Infinity }));
    part.area += areas[v];
    for (let k = 0; k < 3; k++) part.sum[k] += areas[v] * p[3 * v + k];
    part.worst = Math.max(part.worst, value(v));
  }
  const largest = [...found].sort((a, b) => b[1].area - a[1].area || a[0] - b[0]).slice(0, most);
  const places = new Map(
    largest.map(([root, part]) => [root, { part, best: Infinity, vertex: -1, facing: [0, 0, 0] }]),
  );
  for (let v = 0; v < n; v++) {
    const here = weak[v] ? places.get(sets.find(v)) : undefined;
    if (!here) continue;
    const d = [0, 1, 2].reduce((s, k) => s + (p[3 * v + k] - here.part.sum[k] / here.part.area) ** 2, 0);
    if (d >= here.best) continue;
    here.best = d;
    here.vertex = v;
  }
  const normal = new Float64Array(3);
  for (let t = 0; t < mesh.indices.length; t += 3) {
    const here = weak[mesh.indices[t]] ? places.get(sets.find(mesh.indices[t])) : undefined;
    if (!here) continue;
    triangleNormal(p, mesh.indices[t], mesh.indices[t + 1], mesh.indices[t + 2], normal);
    for (let k = 0; k < 3; k++) here.facing[k] += normal[k];
  }
  return [...places.values()].map(({ part, vertex, facing }) => {
    const l = Math.hypot(facing[0], facing[1], facing[2]) || 1;
    return {
      place: [p[3 * vertex], p[3 * vertex + 1], p[3 * vertex + 2]],
      vertex,
      facing: [facing[0] / l, facing[1] / l, facing[2] / l],
      area: part.area,
      worst: part.worst,
    };
  });
}
