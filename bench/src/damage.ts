import { compactMesh, filterTriangles, triangleCount, vertexCount, type TriangleMesh } from '@amber-knit/core/geometry';
import { createRandom, gaussian } from '@amber-knit/core/math';
import { makeManifold, oppositeHalfEdges } from '@amber-knit/core/mesh';

/** Sorts of holes that a bench cuts. `pair`: two close together; `thin`: through both sides of a wall. */
export const HOLE_KINDS = ['plain', 'curved', 'crisp', 'ragged', 'island', 'pair', 'thin'] as const;
export type HoleKind = (typeof HOLE_KINDS)[number];

/** A hole that was cut: what of the true surface is gone lies within `diameter`/2 of its centre. */
export interface CutHole {
  kind: HoleKind;
  diameter: number;
  center: [number, number, number];
}

export interface DamagedMesh {
  mesh: TriangleMesh;
  holes: CutHole[];
}

/** How far rim vertices of a ragged hole are moved about, one standard deviation, mm. */
const RAGGED = 0.1;

const WANTED: [HoleKind, number][] = [
  ['plain', 30],
  ['curved', 30],
  ['crisp', 30],
  ['plain', 10],
  ['plain', 10],
  ['curved', 10],
  ['curved', 10],
  ['crisp', 10],
  ['crisp', 10],
  ['ragged', 10],
  ['ragged', 10],
  ['island', 10],
  ['pair', 6],
  ['thin', 8],
  ['plain', 3],
  ['curved', 3],
  ['crisp', 3],
  ['ragged', 6],
];

/** Triangles split at the middles of their edges until no edge is longer than `longest` mm. */
export function subdivided(mesh: TriangleMesh, longest: number): TriangleMesh {
  let { positions, indices } = mesh;
  for (;;) {
    let most = 0;
    for (let h = 0; h < indices.length; h++) {
      const [a, b] = [3 * indices[h], 3 * indices[h % 3 === 2 ? h - 2 : h + 1]];
      const d = Math.hypot(
        positions[a] - positions[b],
        positions[a + 1] - positions[b + 1],
        positions[a + 2] - positions[b + 2],
      );
      most += d / indices.length;
    }
    if (most <= longest) return { positions, indices };
    const points = Array.from(positions);
    const middle = new Map<number, number>();
    const between = (a: number, b: number): number => {
      const key = Math.min(a, b) * 2 ** 26 + Math.max(a, b);
      let m = middle.get(key);
      if (m === undefined) {
        m = points.length / 3;
        middle.set(key, m);
        for (let k = 0; k < 3; k++) points.push((points[3 * a + k] + points[3 * b + k]) / 2);
      }
      return m;
    };
    const finer: number[] = [];
    for (let t = 0; t < indices.length; t += 3) {
      const [a, b, c] = [indices[t], indices[t + 1], indices[t + 2]];
      const [ab, bc, ca] = [between(a, b), between(b, c), between(c, a)];
      finer.push(a, ab, ca, ab, b, bc, ca, bc, c, ab, bc, ca);
    }
    positions = Float32Array.from(points);
    indices = Uint32Array.from(finer);
  }
}

/** Cuts about 18 holes of known sorts into a mesh; places are drawn with `seed`, those that suit a sort best are taken. */
export function damage(whole: TriangleMesh, seed: number): DamagedMesh {
  const mesh = makeManifold(compactMesh(whole)).mesh;
  const surface = new Surface(mesh);
  const random = createRandom(seed);
  const triangles = triangleCount(mesh);
  const keep = new Uint8Array(triangles).fill(1);
  const holes: CutHole[] = [];
  const moved: number[] = [];
  const free = (c: Float64Array, reach: number): boolean =>
    holes.every((h) => Math.hypot(...h.center.map((x, k) => x - c[k])) > reach + 1.1 * h.diameter);
  for (const [kind, diameter] of WANTED) {
    let best: { fit: number; cut: number[]; center: [number, number, number] } | undefined;
    for (let attempt = 0; attempt < 120; attempt++) {
      const t = Math.floor(random() * triangles);
      const center = surface.centroid(t);
      if (!free(center, 1.1 * diameter)) continue;
      const around = surface.within(t, 0.65 * diameter);
      if (!around) continue;
      const fit = surface.fit(kind, around, diameter);
      if (fit <= (best?.fit ?? 0)) continue;
      const cut = surface.within(t, diameter / 2)!;
      if (cut.length < 4) continue;
      best = { fit, cut, center: [center[0], center[1], center[2]] };
    }
    if (!best) continue;
    const { cut, center } = best;
    const distance = (t: number, c = center): number => {
      const g = surface.centroid(t);
      return Math.hypot(g[0] - c[0], g[1] - c[1], g[2] - c[2]);
    };
    if (kind === 'island') cut.filter((t) => distance(t) > 0.18 * diameter).forEach((t) => (keep[t] = 0));
    else if (kind === 'pair') {
      const second = surface.neighbourAt(center, cut, 1.25 * diameter);
      const other = surface.within(second, diameter / 2);
      if (!other || other.some((t) => cut.includes(t))) continue;
      for (const t of [...cut, ...other]) keep[t] = 0;
      const c = surface.centroid(second);
      holes.push({ kind, diameter, center: [c[0], c[1], c[2]] });
    } else if (kind === 'thin') {
      const through = surface.opposite(center, cut);
      if (through < 0) continue;
      const other = surface.within(through, diameter / 2);
      if (!other || other.some((t) => cut.includes(t))) continue;
      for (const t of [...cut, ...other]) keep[t] = 0;
      const c = surface.centroid(through);
      holes.push({ kind, diameter, center: [c[0], c[1], c[2]] });
    } else for (const t of cut) keep[t] = 0;
    if (kind === 'ragged') moved.push(...cut);
    holes.push({ kind, diameter, center });
  }
  const jittered = { ...mesh, positions: mesh.positions.slice() };
  const shaken = new Set(moved.flatMap((t) => [0, 1, 2].map((k) => mesh.indices[3 * t + k])));
  for (const v of shaken) for (let k = 0; k < 3; k++) jittered.positions[3 * v + k] += RAGGED * gaussian(random);
  return { mesh: filterTriangles(jittered, keep), holes };
}

/** A mesh to choose places on. */
class Surface {
  private readonly opposite_: Int32Array;
  private readonly normals: Float64Array;
  private readonly centers: Float64Array;

  constructor(private readonly mesh: TriangleMesh) {
    const { positions: p, indices } = mesh;
    this.opposite_ = oppositeHalfEdges(indices, vertexCount(mesh));
    const m = triangleCount(mesh);
    this.normals = new Float64Array(3 * m);
    this.centers = new Float64Array(3 * m);
    for (let t = 0; t < m; t++) {
      const [a, b, c] = [0, 1, 2].map((k) => 3 * indices[3 * t + k]);
      const u = [0, 1, 2].map((k) => p[b + k] - p[a + k]);
      const v = [0, 1, 2].map((k) => p[c + k] - p[a + k]);
      const n = [u[1] * v[2] - u[2] * v[1], u[2] * v[0] - u[0] * v[2], u[0] * v[1] - u[1] * v[0]];
      const l = Math.hypot(...n) || 1;
      for (let k = 0; k < 3; k++) {
        this.normals[3 * t + k] = n[k] / l;
        this.centers[3 * t + k] = (p[a + k] + p[b + k] + p[c + k]) / 3;
      }
    }
  }

  centroid(t: number): Float64Array {
    return this.centers.subarray(3 * t, 3 * t + 3);
  }

  private away(t: number, c: ArrayLike<number>): number {
    const g = this.centers;
    return Math.hypot(g[3 * t] - c[0], g[3 * t + 1] - c[1], g[3 * t + 2] - c[2]);
  }

  private cosine(s: number, t: number): number {
    const n = this.normals;
    return n[3 * s] * n[3 * t] + n[3 * s + 1] * n[3 * t + 1] + n[3 * s + 2] * n[3 * t + 2];
  }

  /** Triangles that hang together with `seed` inside a ball round it; nothing if that meets a rim. */
  within(seed: number, radius: number): number[] | undefined {
    const center = this.centroid(seed);
    const seen = new Set([seed]);
    const list = [seed];
    for (const t of list) {
      for (let k = 0; k < 3; k++) {
        const o = this.opposite_[3 * t + k];
        if (o < 0) return undefined;
        const u = Math.floor(o / 3);
        if (seen.has(u) || this.away(u, center) > radius) continue;
        seen.add(u);
        list.push(u);
      }
    }
    return list;
  }

  /** How well a place suits a sort, more is better, 0 = not at all. */
  fit(kind: HoleKind, around: number[], diameter: number): number {
    const inside = new Set(around);
    // Not a disc, or folded over: no simple hole.
    const vertices = new Set(around.flatMap((t) => [0, 1, 2].map((k) => this.mesh.indices[3 * t + k])));
    let inner = 0;
    let sharp = 0;
    for (const t of around) {
      for (let k = 0; k < 3; k++) {
        const u = Math.floor(this.opposite_[3 * t + k] / 3);
        if (!inside.has(u)) continue;
        inner++;
        if (this.cosine(t, u) < Math.cos((35 * Math.PI) / 180)) sharp++;
      }
    }
    const edges = 3 * around.length - inner / 2;
    if (vertices.size - edges + around.length !== 1) return 0;
    const mean = [0, 0, 0];
    for (const t of around) for (let k = 0; k < 3; k++) mean[k] += this.normals[3 * t + k] / around.length;
    const spread = 1 - Math.hypot(...mean);
    const c = this.centroid(around[0]);
    if (kind === 'thin') return this.opposite([c[0], c[1], c[2]], around) >= 0 ? 1 / (0.01 + spread) : 0;
    if (kind === 'crisp') return spread < 0.4 && sharp >= 4 ? sharp / Math.sqrt(around.length) : 0;
    if (sharp > 0.02 * inner) return 0;
    if (kind === 'curved') return spread > 0.015 && spread < 0.2 ? 1 - Math.abs(spread - 0.06) / 0.2 : 0;
    return spread < 0.05 ? 1 / (0.001 + spread / diameter) : 0;
  }

  /** A triangle at a distance from a centre, on the surface beside a cut. */
  neighbourAt(center: [number, number, number], cut: number[], distance: number): number {
    const wide = this.within(cut[0], 1.6 * distance) ?? cut;
    return wide.reduce((a, b) =>
      Math.abs(this.away(b, center) - distance) < Math.abs(this.away(a, center) - distance) ? b : a,
    );
  }

  /** The triangle on the other side of a thin wall, at most 6 mm in; -1 without one. */
  opposite(center: [number, number, number], cut: number[]): number {
    const inside = new Set(cut);
    const n = this.normals.subarray(3 * cut[0], 3 * cut[0] + 3);
    let best = -1;
    let least = Infinity;
    for (let t = 0; t < this.normals.length / 3; t++) {
      if (inside.has(t)) continue;
      const [x, y, z] = [0, 1, 2].map((k) => this.centers[3 * t + k] - center[k]);
      const along = -(x * n[0] + y * n[1] + z * n[2]);
      if (along < 0.5 || along > 6 || this.cosine(t, cut[0]) > -0.9) continue;
      const aside = Math.hypot(x + along * n[0], y + along * n[1], z + along * n[2]);
      if (aside < 1.2 && along + aside < least) {
        least = along + aside;
        best = t;
      }
    }
    return best;
  }
}
