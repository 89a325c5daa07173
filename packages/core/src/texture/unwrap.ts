import { triangleNormal, vertexCount, type TriangleMesh } from '../geometry/triangle-mesh.js';
import type { RunContext } from '../runtime/run-context.js';
import { oppositeHalfEdges } from '../mesh/topology.js';
import { placeCharts, UNWRAP_DEFAULTS, type FlatCharts, type UnwrapOptions } from './place-charts.js';

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
  /** Stretch of lengths that 95 % of the triangles stay below, 1 = none. */
  stretch95: number;
}

const DIRECTIONS = ((): number[][] => {
  // Six faces and eight corners of a cube: no normal is further than 40° from the nearest one.
  const out: number[][] = [];
  for (let axis = 0; axis < 3; axis++) for (const s of [1, -1]) out.push([0, 1, 2].map((k) => (k === axis ? s : 0)));
  const c = 1 / Math.sqrt(3);
  for (let k = 0; k < 8; k++) out.push([k & 1 ? c : -c, k & 2 ? c : -c, k & 4 ? c : -c]);
  return out;
})();

/**
 * Lays a mesh out on a square map: triangles facing about the same way form charts, each laid flat along its mean
 * direction (so nothing folds), triangles that would still overlap get charts of their own, and the charts are packed
 * at one common scale. O(m log m).
 *
 * Idea: B. Lévy, S. Petitjean, N. Ray, J. Maillot (2002), Least squares conformal maps for automatic texture atlas
 * generation (charts, overlap test, packing); the charts here are projected instead of mapped conformally, which bounds
 * the stretch by the charts' normal cones and needs no solver.
 *
 * @throws GeometryError `too-large` if the charts don't fit even at a very small scale
 */
export function unwrapMesh(mesh: TriangleMesh, options: Partial<UnwrapOptions>, ctx: RunContext): UvAtlas {
  const o = { ...UNWRAP_DEFAULTS, ...options };
  const m = mesh.indices.length / 3;
  const opposite = oppositeHalfEdges(mesh.indices, vertexCount(mesh));
  // Charts follow the shape, not the roughness of single triangles.
  const normals = smoothNormals(triangleNormals(mesh), opposite, 8);
  const label = labelByDirection(normals, opposite);
  ctx.checkpoint(0.2);
  absorbSmall(label, normals, opposite);
  ctx.checkpoint(0.4);
  let chart = connectedCharts(label, opposite);
  let flat = layFlat(mesh, normals, chart);
  for (let round = 0; round < 6; round++) {
    if (!separateOverlaps(mesh, normals, chart, flat, opposite)) break;
    chart = renumber(chart);
    flat = layFlat(mesh, normals, chart);
    ctx.checkpoint(0.4 + 0.08 * round);
  }
  const placed = placeCharts(flat, chart, o, m);
  ctx.checkpoint(1);
  const cosines = flat.cosine.slice().sort();
  const stretch95 = 1 / Math.max(0.01, cosines[Math.floor(0.05 * (m - 1))]);
  return { ...placed, chart, charts: flat.count, mapSize: o.mapSize, stretch95 };
}

function triangleNormals(mesh: TriangleMesh): Float32Array {
  const { positions: p, indices } = mesh;
  const out = new Float32Array(indices.length);
  const n = new Float64Array(3);
  for (let t = 0; t < indices.length; t += 3) {
    const l = triangleNormal(p, indices[t], indices[t + 1], indices[t + 2], n) || 1;
    for (let k = 0; k < 3; k++) out[t + k] = n[k] / l;
  }
  return out;
}

/** Averages each triangle's normal with its neighbours', `rounds` times. */
function smoothNormals(normals: Float32Array, opposite: Int32Array, rounds: number): Float32Array {
  let from = normals;
  for (let r = 0; r < rounds; r++) {
    const to = from.slice();
    for (let t = 0; t < from.length / 3; t++) {
      for (let k = 0; k < 3; k++) {
        const h = opposite[3 * t + k];
        if (h < 0) continue;
        const u = 3 * Math.floor(h / 3);
        for (let a = 0; a < 3; a++) to[3 * t + a] += from[u + a];
      }
      const l = Math.hypot(to[3 * t], to[3 * t + 1], to[3 * t + 2]);
      for (let a = 0; a < 3; a++) to[3 * t + a] = l > 0 ? to[3 * t + a] / l : from[3 * t + a];
    }
    from = to;
  }
  return from;
}

/** Nearest of the fixed directions per triangle, then a few rounds in which neighbours vote to even out the borders. */
function labelByDirection(normals: Float32Array, opposite: Int32Array): Int32Array {
  const m = normals.length / 3;
  const label = new Int32Array(m);
  const score = (t: number, d: number): number =>
    normals[3 * t] * DIRECTIONS[d][0] + normals[3 * t + 1] * DIRECTIONS[d][1] + normals[3 * t + 2] * DIRECTIONS[d][2];
  for (let t = 0; t < m; t++) {
    let best = -2;
    for (let d = 0; d < DIRECTIONS.length; d++) {
      // The cube's faces are favoured: fewer, larger charts.
      const s = score(t, d) + (d < 6 ? 0.12 : 0);
      if (s > best) {
        best = s;
        label[t] = d;
      }
    }
  }
  for (let round = 0; round < 8; round++) {
    let changed = 0;
    for (let t = 0; t < m; t++) {
      const near = [0, 1, 2].map((k) => opposite[3 * t + k]).map((h) => (h >= 0 ? label[Math.floor(h / 3)] : -1));
      for (const l of near) {
        if (l < 0 || l === label[t]) continue;
        const votes = near.filter((x) => x === l).length;
        const own = near.filter((x) => x === label[t]).length;
        if (votes > own && score(t, l) > 0.55) {
          label[t] = l;
          changed++;
          break;
        }
      }
    }
    if (changed === 0) break;
  }
  return label;
}

/** Gives charts of few triangles to the neighbouring chart they share most edges with, if they face it at all. */
function absorbSmall(label: Int32Array, normals: Float32Array, opposite: Int32Array): void {
  const small = Math.max(12, Math.round(label.length / 1500));
  for (let round = 0; round < 4; round++) {
    const chart = connectedCharts(label, opposite);
    const count = chart.reduce((a, b) => Math.max(a, b), -1) + 1;
    const size = new Uint32Array(count);
    for (const c of chart) size[c]++;
    const borders = new Map<number, Map<number, number>>();
    for (let h = 0; h < opposite.length; h++) {
      const t = Math.floor(h / 3);
      if (size[chart[t]] >= small || opposite[h] < 0) continue;
      const u = Math.floor(opposite[h] / 3);
      if (chart[u] === chart[t]) continue;
      const d = DIRECTIONS[label[u]];
      if (normals[3 * t] * d[0] + normals[3 * t + 1] * d[1] + normals[3 * t + 2] * d[2] < 0.25) continue;
      let list = borders.get(chart[t]);
      if (!list) borders.set(chart[t], (list = new Map()));
      list.set(label[u], (list.get(label[u]) ?? 0) + 1);
    }
    const target = new Map<number, number>();
    borders.forEach((list, c) => {
      let best = -1;
      let most = 0;
      list.forEach((n, l) => {
        if (n > most) {
          most = n;
          best = l;
        }
      });
      if (best >= 0) target.set(c, best);
    });
    if (target.size === 0) break;
    for (let t = 0; t < label.length; t++) {
      const l = target.get(chart[t]);
      if (l === undefined) continue;
      const d = DIRECTIONS[l];
      if (normals[3 * t] * d[0] + normals[3 * t + 1] * d[1] + normals[3 * t + 2] * d[2] > 0.2) label[t] = l;
    }
  }
}

/** Numbers the connected areas of equal label. */
function connectedCharts(label: Int32Array, opposite: Int32Array): Int32Array {
  const chart = new Int32Array(label.length).fill(-1);
  const stack: number[] = [];
  let count = 0;
  for (let s = 0; s < label.length; s++) {
    if (chart[s] >= 0) continue;
    chart[s] = count;
    stack.push(s);
    while (stack.length > 0) {
      const t = stack.pop()!;
      for (let k = 0; k < 3; k++) {
        const h = opposite[3 * t + k];
        if (h < 0) continue;
        const u = Math.floor(h / 3);
        if (chart[u] < 0 && label[u] === label[t]) {
          chart[u] = count;
          stack.push(u);
        }
      }
    }
    count++;
  }
  return chart;
}

function renumber(chart: Int32Array): Int32Array {
  const map = new Map<number, number>();
  return chart.map((c) => {
    let id = map.get(c);
    if (id === undefined) map.set(c, (id = map.size));
    return id;
  });
}

/** Projects every chart along its area-weighted mean normal. */
function layFlat(mesh: TriangleMesh, normals: Float32Array, chart: Int32Array): FlatCharts {
  const m = chart.length;
  const count = chart.reduce((a, b) => Math.max(a, b), -1) + 1;
  const mean = new Float64Array(3 * count);
  for (let t = 0; t < m; t++) for (let k = 0; k < 3; k++) mean[3 * chart[t] + k] += normals[3 * t + k];
  const axes = new Float64Array(6 * count);
  for (let c = 0; c < count; c++) {
    let [x, y, z] = [mean[3 * c], mean[3 * c + 1], mean[3 * c + 2]];
    const l = Math.hypot(x, y, z);
    // A chart without a direction (collapsed triangles only) may lie any way.
    x = l > 1e-9 ? x / l : 0;
    y = l > 1e-9 ? y / l : 0;
    z = l > 1e-9 ? z / l : 1;
    mean[3 * c] = x;
    mean[3 * c + 1] = y;
    mean[3 * c + 2] = z;
    // u, v and the mean normal are right-handed; the upright of the object stays upright where it can.
    const up = Math.abs(z) < 0.9 ? [0, 0, 1] : [0, 1, 0];
    let ux = up[1] * z - up[2] * y;
    let uy = up[2] * x - up[0] * z;
    let uz = up[0] * y - up[1] * x;
    const ul = Math.hypot(ux, uy, uz);
    ux /= ul;
    uy /= ul;
    uz /= ul;
    axes.set([ux, uy, uz, y * uz - z * uy, z * ux - x * uz, x * uy - y * ux], 6 * c);
  }
  const plane = new Float32Array(6 * m);
  const cosine = new Float32Array(m);
  const p = mesh.positions;
  for (let t = 0; t < m; t++) {
    const c = chart[t];
    cosine[t] =
      normals[3 * t] * mean[3 * c] + normals[3 * t + 1] * mean[3 * c + 1] + normals[3 * t + 2] * mean[3 * c + 2];
    for (let k = 0; k < 3; k++) {
      const v = 3 * mesh.indices[3 * t + k];
      for (let a = 0; a < 2; a++) {
        const at = 6 * c + 3 * a;
        plane[6 * t + 2 * k + a] = p[v] * axes[at] + p[v + 1] * axes[at + 1] + p[v + 2] * axes[at + 2];
      }
    }
  }
  return { count, plane, cosine };
}

/**
 * Finds triangles that lie over others of their chart (or turn away from it) by drawing each chart on a fine grid, and
 * gives connected groups of them charts of their own. Small folds among neighbours are let pass: they only paint a
 * place twice. @returns true if anything changed
 */
function separateOverlaps(
  mesh: TriangleMesh,
  normals: Float32Array,
  chart: Int32Array,
  { plane, cosine }: FlatCharts,
  opposite: Int32Array,
): boolean {
  const m = chart.length;
  let edge = 0;
  for (let t = 0; t < m; t++) edge += Math.hypot(plane[6 * t + 2] - plane[6 * t], plane[6 * t + 3] - plane[6 * t + 1]);
  const cell = Math.max(1e-6, (0.45 * edge) / m);
  const owner = new Map<number, number>();
  const moved = new Uint8Array(m);
  let any = false;
  const order = Array.from({ length: m }, (_, t) => t).sort((a, b) => chart[a] - chart[b] || a - b);
  let current = -1;
  const p = mesh.positions;
  const near = (8 * edge) / m;
  const isNear = (t: number, u: number): boolean => {
    const a = 3 * mesh.indices[3 * t];
    const b = 3 * mesh.indices[3 * u];
    return Math.hypot(p[a] - p[b], p[a + 1] - p[b + 1], p[a + 2] - p[b + 2]) < near;
  };
  for (const t of order) {
    if (chart[t] !== current) {
      current = chart[t];
      owner.clear();
    }
    const q = plane.subarray(6 * t, 6 * t + 6);
    const area = (q[2] - q[0]) * (q[5] - q[1]) - (q[4] - q[0]) * (q[3] - q[1]);
    if (area <= 0) {
      if (cosine[t] < 0.1) {
        moved[t] = 1;
        any = true;
      }
      continue;
    }
    const x0 = Math.floor(Math.min(q[0], q[2], q[4]) / cell);
    const x1 = Math.ceil(Math.max(q[0], q[2], q[4]) / cell);
    const y0 = Math.floor(Math.min(q[1], q[3], q[5]) / cell);
    const y1 = Math.ceil(Math.max(q[1], q[3], q[5]) / cell);
    let clash = false;
    const mine: number[] = [];
    for (let y = y0; y <= y1 && !clash; y++) {
      for (let x = x0; x <= x1; x++) {
        const px = x * cell;
        const py = y * cell;
        const a = (q[2] - px) * (q[5] - py) - (q[4] - px) * (q[3] - py);
        const b = (q[4] - px) * (q[1] - py) - (q[0] - px) * (q[5] - py);
        const c = area - a - b;
        if (a < 0 || b < 0 || c < 0) continue;
        const key = x * 1048576 + y;
        const o = owner.get(key);
        if (o !== undefined && !isNear(o, t)) {
          clash = true;
          break;
        }
        if (o === undefined) mine.push(key);
      }
    }
    if (clash) {
      moved[t] = 1;
      any = true;
    } else for (const key of mine) owner.set(key, t);
  }
  if (!any) return false;
  let next = chart.reduce((a, b) => Math.max(a, b), -1) + 1;
  const stack: number[] = [];
  for (let s = 0; s < m; s++) {
    if (moved[s] !== 1) continue;
    const from = chart[s];
    // A group shares the direction of its first triangle, so that it lies flat itself.
    stack.push(s);
    moved[s] = 2;
    chart[s] = next;
    while (stack.length > 0) {
      const t = stack.pop()!;
      for (let k = 0; k < 3; k++) {
        const h = opposite[3 * t + k];
        if (h < 0) continue;
        const u = Math.floor(h / 3);
        if (moved[u] !== 1 || chart[u] !== from) continue;
        const d =
          normals[3 * s] * normals[3 * u] +
          normals[3 * s + 1] * normals[3 * u + 1] +
          normals[3 * s + 2] * normals[3 * u + 2];
        if (d < 0.5) continue;
        moved[u] = 2;
        chart[u] = next;
        stack.push(u);
      }
    }
    next++;
  }
  return true;
}
