import { vertexCount, type TriangleMesh } from '../geometry/triangle-mesh.js';
import type { RunContext } from '../runtime/run-context.js';
import { fairInPlace } from './fair.js';
import { Patch } from './patch.js';
import { boundaryLoops, nextHalfEdge, oppositeHalfEdges } from './topology.js';
import { triangulateLoop } from './triangulate-loop.js';

export interface FillHolesOptions {
  /** Holes with a longer rim stay open, mm; 0 = fill all. */
  maxRim: number;
  /** `flat`: smallest surface; `smooth`: continues the slope around the hole. */
  shape: 'flat' | 'smooth';
}

export const FILL_HOLES_DEFAULTS: FillHolesOptions = { maxRim: 0, shape: 'smooth' };

/** One hole: its rim's vertices, length and middle, mm. */
export interface Hole {
  rim: Uint32Array;
  length: number;
  middle: [number, number, number];
}

/** Lists the holes of a mesh with manifold vertices, the longest rim first. O(n + m). */
export function listHoles(mesh: TriangleMesh): Hole[] {
  const p = mesh.positions;
  return boundaryLoops(mesh)
    .map((rim) => {
      let length = 0;
      const middle: [number, number, number] = [0, 0, 0];
      for (let i = 0; i < rim.length; i++) {
        const a = 3 * rim[i];
        const b = 3 * rim[(i + 1) % rim.length];
        length += Math.hypot(p[a] - p[b], p[a + 1] - p[b + 1], p[a + 2] - p[b + 2]);
        for (let k = 0; k < 3; k++) middle[k] += p[a + k] / rim.length;
      }
      return { rim, length, middle };
    })
    .sort((a, b) => b.length - a.length);
}

export interface FillHolesResult {
  mesh: TriangleMesh;
  filled: number;
  leftOpen: number;
  /** Area of the new surface, mm². */
  inventedArea: number;
}

/**
 * Closes holes with patches that match the density around them and, for `smooth`, continue its slope. New vertices are
 * marked `invented`. The mesh must be manifold (see `makeManifold`); the result then is too, and closed where filled.
 * See `triangulateLoop`, `Patch` and `fairInPlace` for the sources. O(rim³) for rims up to 420 vertices.
 */
export function fillHoles(mesh: TriangleMesh, options: Partial<FillHolesOptions>, ctx: RunContext): FillHolesResult {
  const o = { ...FILL_HOLES_DEFAULTS, ...options };
  const holes = listHoles(mesh).filter((h) => o.maxRim === 0 || h.length <= o.maxRim);
  const total = boundaryLoops(mesh).length;
  const builder = new MeshBuilder(mesh);
  const joined = edgesBetweenRims(mesh);
  let filled = 0;
  let inventedArea = 0;
  const work = holes.reduce((s, h) => s + h.rim.length ** 1.5, 0);
  let done = 0;
  for (const hole of holes) {
    ctx.checkpoint(done / work);
    done += hole.rim.length ** 1.5;
    const area = fillOne(mesh, builder, hole, joined, o.shape);
    if (area >= 0) {
      filled++;
      inventedArea += area;
    }
  }
  return { mesh: builder.finish(), filled, leftOpen: total - filled, inventedArea };
}

/** Adds a patch for one hole. @returns its area, or -1 if the rim can't be triangulated */
function fillOne(
  mesh: TriangleMesh,
  builder: MeshBuilder,
  hole: Hole,
  joined: Set<string>,
  shape: 'flat' | 'smooth',
): number {
  // Along the hole the patch runs against the triangles outside.
  const rim = Uint32Array.from(hole.rim).reverse();
  const n = rim.length;
  const points = new Float64Array(3 * n);
  for (let i = 0; i < n; i++) for (let k = 0; k < 3; k++) points[3 * i + k] = mesh.positions[3 * rim[i] + k];
  const forbidden = (i: number, j: number): boolean => i < n && j < n && joined.has(edgeKey(rim[i], rim[j]));
  const triangles = triangulateLoop(points, forbidden) ?? triangulateLoop(points, () => false);
  if (!triangles) return -1;
  const edgeLength = new Float64Array(n);
  for (let i = 0; i < n; i++) {
    const a = 3 * i;
    const b = 3 * ((i + 1) % n);
    const c = 3 * ((i + n - 1) % n);
    edgeLength[i] =
      0.55 *
      (Math.hypot(points[a] - points[b], points[a + 1] - points[b + 1], points[a + 2] - points[b + 2]) +
        Math.hypot(points[a] - points[c], points[a + 1] - points[c + 1], points[a + 2] - points[c + 2]));
  }
  const patch = new Patch(points, triangles, edgeLength, forbidden);
  patch.refine(n + 60_000);
  const inner = patch.positions.length / 3 - n;
  if (inner > 0) fairPatch(mesh, builder, rim, patch, shape);
  return builder.add(rim, patch);
}

/** Fairs a patch's inner vertices together with two rings of the surface around the hole. */
function fairPatch(
  mesh: TriangleMesh,
  builder: MeshBuilder,
  rim: Uint32Array,
  patch: Patch,
  shape: 'flat' | 'smooth',
): void {
  const around = shape === 'smooth' ? builder.trianglesAround(rim, 2) : [];
  const local = new Map<number, number>();
  rim.forEach((v, i) => local.set(v, i));
  const positions = patch.positions.slice();
  const triangles = patch.triangles.slice();
  for (const t of around) {
    for (let k = 0; k < 3; k++) {
      const v = mesh.indices[3 * t + k];
      let id = local.get(v);
      if (id === undefined) {
        id = positions.length / 3;
        local.set(v, id);
        positions.push(mesh.positions[3 * v], mesh.positions[3 * v + 1], mesh.positions[3 * v + 2]);
      }
      triangles.push(id);
    }
  }
  const free = new Uint8Array(positions.length / 3);
  free.fill(1, rim.length, patch.positions.length / 3);
  const p = Float64Array.from(positions);
  fairInPlace(p, triangles, free, shape === 'smooth' ? 2 : 1);
  for (let i = 3 * rim.length; i < patch.positions.length; i++) patch.positions[i] = p[i];
}

function edgeKey(a: number, b: number): string {
  return a < b ? `${a},${b}` : `${b},${a}`;
}

/** Edges of the mesh whose two ends both lie on rims: a patch must not make them a second time. */
function edgesBetweenRims(mesh: TriangleMesh): Set<string> {
  const { indices } = mesh;
  const opposite = oppositeHalfEdges(indices, vertexCount(mesh));
  const onRim = new Uint8Array(vertexCount(mesh));
  for (let h = 0; h < indices.length; h++) {
    if (opposite[h] < 0) onRim[indices[h]] = onRim[indices[nextHalfEdge(h)]] = 1;
  }
  const out = new Set<string>();
  for (let h = 0; h < indices.length; h++) {
    const a = indices[h];
    const b = indices[nextHalfEdge(h)];
    if (onRim[a] && onRim[b]) out.add(edgeKey(a, b));
  }
  return out;
}

/** Collects patches and joins them to the mesh at the end. */
class MeshBuilder {
  private readonly positions: number[] = [];
  private readonly indices: number[] = [];
  private readonly colors: number[] = [];
  private trianglesOfVertex?: { start: Uint32Array; list: Uint32Array };

  constructor(private readonly mesh: TriangleMesh) {}

  /** Triangles within `rings` steps of the given vertices. */
  trianglesAround(vertices: Uint32Array, rings: number): number[] {
    const { start, list } = (this.trianglesOfVertex ??= this.buildFans());
    const triangles = new Set<number>();
    let front = new Set<number>(vertices);
    const seen = new Set<number>(vertices);
    for (let r = 0; r < rings; r++) {
      const next = new Set<number>();
      for (const v of front) {
        for (let i = start[v]; i < start[v + 1]; i++) {
          const t = list[i];
          triangles.add(t);
          for (let k = 0; k < 3; k++) {
            const w = this.mesh.indices[3 * t + k];
            if (!seen.has(w)) {
              seen.add(w);
              next.add(w);
            }
          }
        }
      }
      front = next;
    }
    return Array.from(triangles);
  }

  private buildFans(): { start: Uint32Array; list: Uint32Array } {
    const { indices } = this.mesh;
    const start = new Uint32Array(vertexCount(this.mesh) + 1);
    for (const v of indices) start[v + 1]++;
    for (let v = 0; v + 1 < start.length; v++) start[v + 1] += start[v];
    const cursor = start.slice();
    const list = new Uint32Array(indices.length);
    for (let i = 0; i < indices.length; i++) list[cursor[indices[i]]++] = Math.floor(i / 3);
    return { start, list };
  }

  add(rim: Uint32Array, patch: Patch): number {
    const base = vertexCount(this.mesh) + this.positions.length / 3;
    const n = rim.length;
    for (let i = 3 * n; i < patch.positions.length; i++) this.positions.push(patch.positions[i]);
    if (this.mesh.colors) {
      // A patch takes the rim's mean colour: it was not measured, and no sharper guess would be honest.
      const mean = [0, 0, 0];
      for (const v of rim) for (let k = 0; k < 3; k++) mean[k] += this.mesh.colors[3 * v + k] / n;
      for (let i = n; i < patch.positions.length / 3; i++) this.colors.push(...mean.map(Math.round));
    }
    let area = 0;
    const q = patch.positions;
    for (let t = 0; t < patch.triangles.length; t += 3) {
      const c = [0, 1, 2].map((k) => patch.triangles[t + k]);
      for (const v of c) this.indices.push(v < n ? rim[v] : base + v - n);
      const u = [0, 1, 2].map((k) => q[3 * c[1] + k] - q[3 * c[0] + k]);
      const w = [0, 1, 2].map((k) => q[3 * c[2] + k] - q[3 * c[0] + k]);
      area += 0.5 * Math.hypot(u[1] * w[2] - u[2] * w[1], u[2] * w[0] - u[0] * w[2], u[0] * w[1] - u[1] * w[0]);
    }
    return area;
  }

  finish(): TriangleMesh {
    const { mesh } = this;
    const n = vertexCount(mesh);
    const added = this.positions.length / 3;
    const append = <A extends Float32Array | Uint8Array | Uint32Array>(a: A, more: ArrayLike<number>): A => {
      const out = new (a.constructor as new (length: number) => A)(a.length + more.length);
      out.set(a);
      out.set(more as never, a.length);
      return out;
    };
    const invented = new Uint8Array(n + added);
    if (mesh.invented) invented.set(mesh.invented);
    invented.fill(1, n);
    return {
      positions: append(mesh.positions, this.positions),
      indices: append(mesh.indices, this.indices),
      invented,
      ...(mesh.colors ? { colors: append(mesh.colors, this.colors) } : {}),
      ...(mesh.scanCount ? { scanCount: append(mesh.scanCount, new Uint8Array(added)) } : {}),
      ...(mesh.expectedError ? { expectedError: append(mesh.expectedError, new Float32Array(added).fill(NaN)) } : {}),
    };
  }
}
