import { SparseLeastSquares } from '../math/sparse-least-squares.js';

/** A piece of surface around and over a hole, vertices numbered of their own. */
export interface SurfacePiece {
  /** 3n, mm. */
  positions: Float64Array;
  triangles: Uint32Array;
  /** 1 = to be found, 0 = known. */
  free: Uint8Array;
  /** Lines of vertices along which the surface may fold; inner ones are to be found like others. */
  creases: readonly (readonly number[])[];
}

export interface ContinueManner {
  /** 2: bends as little as it can (thin plate); 3: changes its bending as little as it can. */
  order: 2 | 3;
  /**
   * Known vertices are met to within what a wave of so many edge lengths would hide: raggedness shorter than that does not
   * spread into the filling. 0 = met exactly.
   */
  smoothing: number;
  /** How often the measure of the surface is taken anew from the surface found. */
  rounds: number;
}

/**
 * Finds the free vertices of a surface piece so that it continues what is known: least squared Laplacian, or least
 * change of it, with cotangent weights taken on the surface itself, again after each solution. Across creases nothing
 * is asked, so both sides run on to where they meet; the crease itself bends as little as it can.
 *
 * Sources: M. Botsch, L. Kobbelt (2004), An intuitive framework for real-time freeform modeling (boundary conditions of
 * order k); U. Pinkall, K. Polthier (1993), Computing discrete minimal surfaces and their conjugates (weights);
 * G. Wahba (1990), Spline models for observational data (smoothing against noise in what is known).
 * @returns all vertices, 3n: free ones found, known ones as the smooth surface has them; undefined if nothing settles them
 */
export function continueSurface(piece: SurfacePiece, manner: ContinueManner): Float64Array | undefined {
  const n = piece.free.length;
  const exact = manner.smoothing === 0;
  const unknown = new Int32Array(n).fill(-1);
  const used = new Uint8Array(n);
  for (const v of piece.triangles) used[v] = 1;
  let count = 0;
  for (let v = 0; v < n; v++) if (used[v] && (piece.free[v] || !exact)) unknown[v] = count++;
  if (count === 0) return piece.positions.slice();
  const found = piece.positions.slice();
  const folded = new Uint8Array(n);
  for (const line of piece.creases) for (const v of line) folded[v] = 1;
  const border = borderVertices(piece.triangles, n);
  for (let round = 0; round < manner.rounds; round++) {
    const measure = measureSurface(found, piece.triangles, n);
    const h = measure.edge;
    const system = new SparseLeastSquares(count, 3);
    const add = (row: Map<number, number>, weight: number): void => {
      const places: number[] = [];
      const coefficients: number[] = [];
      const target = [0, 0, 0];
      for (const [v, c] of row) {
        if (unknown[v] >= 0) {
          places.push(unknown[v]);
          coefficients.push(c);
        } else for (let k = 0; k < 3; k++) target[k] -= c * piece.positions[3 * v + k];
      }
      if (places.length > 0) system.add(places, coefficients, weight, target);
    };
    const laplacian = (v: number): Map<number, number> | undefined => {
      if (border[v] || folded[v] || !used[v]) return undefined;
      const row = new Map<number, number>();
      let own = 0;
      for (let e = measure.start[v]; e < measure.start[v + 1]; e++) {
        const c = (measure.weight[e] * h * h) / measure.area[v];
        row.set(measure.to[e], c);
        own += c;
      }
      return row.set(v, -own);
    };
    if (manner.order === 2) {
      for (let v = 0; v < n; v++) {
        const row = laplacian(v);
        if (row) add(row, measure.area[v] / (h * h));
      }
    } else {
      const rows = Array.from({ length: n }, (_, v) => laplacian(v));
      for (let v = 0; v < n; v++) {
        for (let e = measure.start[v]; e < measure.start[v + 1]; e++) {
          const w = measure.to[e];
          if (w <= v || !rows[v] || !rows[w]) continue;
          const row = new Map(rows[v]);
          for (const [u, c] of rows[w]) row.set(u, (row.get(u) ?? 0) - c);
          add(row, Math.max(0.02, measure.weight[e]));
        }
      }
    }
    for (const line of piece.creases) addCrease(line, found, h, add);
    if (!exact) {
      const weight = ((2 * Math.PI) / manner.smoothing) ** (2 * manner.order);
      for (let v = 0; v < n; v++) {
        if (piece.free[v] || !used[v]) continue;
        const at = 3 * v;
        const target = [piece.positions[at], piece.positions[at + 1], piece.positions[at + 2]];
        system.add([unknown[v]], [1], (weight * measure.area[v]) / (h * h), target);
      }
    }
    // A trace of pull towards where they are keeps vertices that nothing settles.
    for (let v = 0; v < n; v++) {
      if (unknown[v] >= 0) system.add([unknown[v]], [1], 1e-9, found.subarray(3 * v, 3 * v + 3));
    }
    const x = system.solve();
    if (!x) return undefined;
    for (let v = 0; v < n; v++) {
      if (unknown[v] >= 0) for (let k = 0; k < 3; k++) found[3 * v + k] = x[k * count + unknown[v]];
    }
  }
  return found.every(Number.isFinite) ? found : undefined;
}

/** The bending of a line along a crease, as if it were a strip as wide as an edge. */
function addCrease(
  line: readonly number[],
  p: Float64Array,
  h: number,
  add: (row: Map<number, number>, weight: number) => void,
): void {
  const length = (a: number, b: number): number =>
    Math.max(1e-9, Math.hypot(p[3 * a] - p[3 * b], p[3 * a + 1] - p[3 * b + 1], p[3 * a + 2] - p[3 * b + 2]) / h);
  for (let i = 1; i + 1 < line.length; i++) {
    const before = length(line[i - 1], line[i]);
    const after = length(line[i], line[i + 1]);
    const row = new Map([
      [line[i - 1], 1 / before],
      [line[i], -1 / before - 1 / after],
      [line[i + 1], 1 / after],
    ]);
    add(row, 2 / (before + after));
  }
}

interface SurfaceMeasure {
  /** Neighbours of each vertex with their cotangent weights. */
  start: Int32Array;
  to: Int32Array;
  weight: Float64Array;
  /** A third of the area of a vertex's triangles. */
  area: Float64Array;
  /** Mean length of an edge. */
  edge: number;
}

function measureSurface(p: Float64Array, triangles: Uint32Array, n: number): SurfaceMeasure {
  const area = new Float64Array(n);
  const degree = new Int32Array(n + 1);
  for (let i = 0; i < triangles.length; i++) degree[triangles[i] + 1] += 2;
  for (let v = 0; v < n; v++) degree[v + 1] += degree[v];
  const cursor = degree.slice(0, n);
  const to = new Int32Array(degree[n]);
  const weight = new Float64Array(degree[n]);
  let edges = 0;
  const u = new Float64Array(3);
  const w = new Float64Array(3);
  for (let t = 0; t < triangles.length; t += 3) {
    for (let k = 0; k < 3; k++) {
      const o = triangles[t + k];
      const a = triangles[t + ((k + 1) % 3)];
      const b = triangles[t + ((k + 2) % 3)];
      for (let i = 0; i < 3; i++) {
        u[i] = p[3 * a + i] - p[3 * o + i];
        w[i] = p[3 * b + i] - p[3 * o + i];
      }
      const x = u[1] * w[2] - u[2] * w[1];
      const y = u[2] * w[0] - u[0] * w[2];
      const z = u[0] * w[1] - u[1] * w[0];
      const twice = Math.sqrt(x * x + y * y + z * z);
      const dot = u[0] * w[0] + u[1] * w[1] + u[2] * w[2];
      const half = twice > 0 ? Math.max(-20, Math.min(20, dot / twice)) / 2 : 0;
      to[cursor[a]] = b;
      weight[cursor[a]++] = half;
      to[cursor[b]] = a;
      weight[cursor[b]++] = half;
      area[o] += twice / 6;
      edges += Math.hypot(u[0], u[1], u[2]);
    }
  }
  // Each inner edge stands twice in a vertex's list: put together.
  const start = new Int32Array(n + 1);
  let kept = 0;
  for (let v = 0; v < n; v++) {
    const begin = kept;
    for (let e = degree[v]; e < degree[v + 1]; e++) {
      let at = begin;
      while (at < kept && to[at] !== to[e]) at++;
      if (at < kept) weight[at] += weight[e];
      else {
        to[kept] = to[e];
        weight[kept++] = weight[e];
      }
    }
    start[v + 1] = kept;
  }
  const mean = area.reduce((s, x) => s + x, 0) / n;
  for (let v = 0; v < n; v++) area[v] = Math.max(area[v], 0.1 * mean);
  return { start, to: to.slice(0, kept), weight: weight.slice(0, kept), area, edge: edges / (triangles.length || 1) };
}

/** Vertices at edges with a triangle on one side only. */
function borderVertices(triangles: Uint32Array, n: number): Uint8Array {
  const edges = new Set<number>();
  for (let t = 0; t < triangles.length; t += 3) {
    for (let k = 0; k < 3; k++) {
      const a = triangles[t + k];
      const b = triangles[t + ((k + 1) % 3)];
      if (!edges.delete(b * n + a)) edges.add(a * n + b);
    }
  }
  const border = new Uint8Array(n);
  for (const e of edges) border[e % n] = border[Math.floor(e / n)] = 1;
  return border;
}
