import { SparseLeastSquares } from '../math/sparse-least-squares.js';

/** Triangles that turn by more than this, as cosine, form a crisp edge: 35°. */
const CRISP = Math.cos((35 * Math.PI) / 180);

/** Pull of each vertex towards where it is, against that of bending an edge's length: holds what nothing else settles. */
const TRACE = 1e-7;
/** How stiff a crease is against turning, by what the surface beside it is: a trace, so that narrow faces hold. */
const HINGE = 1e-4;

/** A piece of surface around and over a hole, vertices numbered of their own. */
export interface SurfacePiece {
  /** 3n, mm. */
  positions: Float64Array;
  triangles: Uint32Array;
  /** 1 = to be found, 0 = known. */
  free: Uint8Array;
  /** How many of the first vertices are the rim's. */
  rim: number;
  /** Lines of vertices along which the surface may fold; inner ones are to be found like others. */
  creases: readonly (readonly number[])[];
  /** 1 = nothing is asked across it, see `foldedVertices`. */
  folded: Uint8Array;
}

export interface ContinueManner {
  /** 2: bends as little as it can (thin plate); 3: changes its bending as little as it can. */
  order: 2 | 3;
  /**
   * Known vertices are met to within what a wave of so many edge lengths would hide: raggedness shorter than that does not
   * spread into the filling. 0 = met exactly.
   */
  smoothing: number;
  /** Every edge counts alike: for a first guess on a patch that says nothing of the surface yet. */
  even?: boolean;
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
  const triangles = exact ? trianglesNear(piece, manner.order - 1) : piece.triangles;
  const unknown = new Int32Array(n).fill(-1);
  const used = new Uint8Array(n);
  for (const v of triangles) used[v] = 1;
  let count = 0;
  for (let v = 0; v < n; v++) if (used[v] && (piece.free[v] || !exact)) unknown[v] = count++;
  if (count === 0) return piece.positions.slice();
  const found = piece.positions.slice();
  const { folded } = piece;
  const border = borderVertices(triangles, n);
  const size = sizeOf(piece);
  let last = size;
  for (let round = 0; round < manner.rounds; round++) {
    const measure = measureSurface(found, triangles, n);
    if (manner.even) {
      measure.weight.fill(1 / Math.sqrt(3));
      measure.area.fill((measure.edge ** 2 * Math.sqrt(3)) / 2);
    }
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
      if (border[v] || !used[v]) return undefined;
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
        if (row) add(row, ((folded[v] ? HINGE : 1) * measure.area[v]) / (h * h));
      }
    } else {
      const rows = Array.from({ length: n }, (_, v) => laplacian(v));
      for (let v = 0; v < n; v++) {
        for (let e = measure.start[v]; e < measure.start[v + 1]; e++) {
          const w = measure.to[e];
          if (w <= v || !rows[v] || !rows[w]) continue;
          const row = new Map(rows[v]);
          for (const [u, c] of rows[w]) row.set(u, (row.get(u) ?? 0) - c);
          add(row, (folded[v] || folded[w] ? HINGE : 1) * Math.max(0.02, measure.weight[e]));
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
      if (unknown[v] >= 0) system.add([unknown[v]], [1], TRACE, found.subarray(3 * v, 3 * v + 3));
    }
    const x = system.solve();
    let most = 0;
    for (let v = 0; v < n && x; v++) {
      if (unknown[v] < 0) continue;
      for (let k = 0; k < 3; k++) most = Math.max(most, Math.abs(x[k * count + unknown[v]] - found[3 * v + k]));
    }
    // A solution far away, or that moves further each time, comes of a measure gone bad: the one before stands.
    if (!x || !(most < (round === 0 ? size : 1.1 * last))) return round > 0 ? found : undefined;
    last = most;
    for (let v = 0; v < n; v++) {
      if (unknown[v] >= 0) for (let k = 0; k < 3; k++) found[3 * v + k] = x[k * count + unknown[v]];
    }
  }
  return found;
}

/** The triangles with a corner within some edges of a vertex to be found: no others have a say. */
function trianglesNear({ triangles, free }: SurfacePiece, edges: number): Uint32Array {
  let near = free;
  for (let step = 0; step < edges; step++) {
    const wider = near.slice();
    for (let t = 0; t < triangles.length; t += 3) {
      const [a, b, c] = [triangles[t], triangles[t + 1], triangles[t + 2]];
      if (near[a] || near[b] || near[c]) wider[a] = wider[b] = wider[c] = 1;
    }
    near = wider;
  }
  return triangles.filter((_, i) => {
    const t = i - (i % 3);
    return near[triangles[t]] || near[triangles[t + 1]] || near[triangles[t + 2]];
  });
}

/** How much a surface bends where it was found: the integral of its squared Laplacian, creases left out. */
export function bending(piece: SurfacePiece, found: Float64Array): number {
  const n = piece.free.length;
  const triangles = trianglesNear(piece, 1);
  const border = borderVertices(triangles, n);
  const { start, to, weight, area } = measureSurface(found, triangles, n);
  let sum = 0;
  for (let v = 0; v < n; v++) {
    if (border[v] || piece.folded[v]) continue;
    let mine = piece.free[v];
    const l = [0, 0, 0];
    for (let e = start[v]; e < start[v + 1]; e++) {
      mine |= piece.free[to[e]];
      for (let k = 0; k < 3; k++) l[k] += weight[e] * (found[3 * to[e] + k] - found[3 * v + k]);
    }
    if (mine) sum += (l[0] ** 2 + l[1] ** 2 + l[2] ** 2) / area[v];
  }
  return sum;
}

/**
 * Marks the vertices of a piece across which nothing is asked: those of creases, and of the crisp edges in what is known
 * that they go on from. Without creases none: the surface is to run over small folds.
 */
export function foldedVertices({
  positions: p,
  triangles,
  free,
  rim,
  creases,
}: Omit<SurfacePiece, 'folded'>): Uint8Array {
  const n = free.length;
  const folded = new Uint8Array(n);
  if (creases.length === 0) return folded;
  for (const line of creases) for (const v of line) folded[v] = 1;
  // A crease may be rounded off by an edge or two: its rim vertices lie on it too.
  const besideEnd = new Uint8Array(rim);
  for (const line of creases) {
    for (const end of [line[0], line[line.length - 1]]) {
      if (end < rim) for (let d = -2; d <= 2; d++) besideEnd[(end + d + rim) % rim] = 1;
    }
  }
  const normal = new Map<number, [number, number, number]>();
  for (let t = 0; t < triangles.length; t += 3) {
    const [a, b, c] = [3 * triangles[t], 3 * triangles[t + 1], 3 * triangles[t + 2]];
    if (free[triangles[t]] || free[triangles[t + 1]] || free[triangles[t + 2]]) continue;
    const u = [p[b] - p[a], p[b + 1] - p[a + 1], p[b + 2] - p[a + 2]];
    const w = [p[c] - p[a], p[c + 1] - p[a + 1], p[c + 2] - p[a + 2]];
    const x = [u[1] * w[2] - u[2] * w[1], u[2] * w[0] - u[0] * w[2], u[0] * w[1] - u[1] * w[0]];
    const l = Math.hypot(x[0], x[1], x[2]);
    if (l === 0) continue;
    const own: [number, number, number] = [x[0] / l, x[1] / l, x[2] / l];
    for (let k = 0; k < 3; k++) {
      const [v, o] = [triangles[t + k], triangles[t + ((k + 1) % 3)]];
      const other = normal.get(o * n + v);
      normal.set(v * n + o, own);
      if (!other || own[0] * other[0] + own[1] * other[1] + own[2] * other[2] > CRISP) continue;
      for (const e of [v, o]) if (e >= rim || besideEnd[e]) folded[e] = 1;
    }
  }
  return folded;
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
  let all = 0;
  let counted = 0;
  for (let v = 0; v < n; v++) {
    all += area[v];
    if (area[v] > 0) counted++;
  }
  const mean = all / Math.max(1, counted);
  for (let v = 0; v < n; v++) area[v] = Math.max(area[v], 0.1 * mean);
  return { start, to: to.slice(0, kept), weight: weight.slice(0, kept), area, edge: edges / (triangles.length || 1) };
}

/** The longest side of the box round what a piece knows. */
function sizeOf({ positions, free }: SurfacePiece): number {
  let most = 0;
  for (let k = 0; k < 3; k++) {
    let [low, high] = [Infinity, -Infinity];
    for (let v = 0; v < free.length; v++) {
      if (free[v]) continue;
      low = Math.min(low, positions[3 * v + k]);
      high = Math.max(high, positions[3 * v + k]);
    }
    most = Math.max(most, high - low);
  }
  return most;
}

/** Vertices at edges with a triangle on one side only. */
export function borderVertices(triangles: Uint32Array, n: number): Uint8Array {
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
