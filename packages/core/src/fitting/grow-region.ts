import { triangleNormal, vertexCount, vertexNormals, type TriangleMesh } from '../geometry/triangle-mesh.js';
import { boundsOf, diagonalOf } from '../geometry/point-cloud.js';
import { dot3 } from '../math/mat4.js';
import { vertexTriangles, type VertexTriangles } from '../mesh/vertex-triangles.js';
import { GeometryError } from '../runtime/geometry-error.js';
import {
  distancesOf,
  fitShape,
  followPoints,
  refineShape,
  robustScale,
  type MeasuredPoints,
  type ShapeFit,
} from './fit-shape.js';
import { FREEDOMS, ShapeDistance, type Shape } from './shape.js';

/** Kinds that a region can be of, the simplest first. */
export const REGION_KINDS = ['plane', 'sphere', 'cylinder', 'cone', 'torus'] as const;
export type RegionKind = (typeof REGION_KINDS)[number];

/** The part of a surface that is of one shape. */
export interface ShapeRegion {
  fit: ShapeFit;
  vertices: Uint32Array;
  /** Share of the region that no scan measured; it takes no part in the fit. */
  inventedRatio: number;
}

/** Vertices of the first look around the place that was picked. */
const FIRST = 90;
/** A region grows to so many times its size at most before it is fitted anew. */
const STRIDE = 2.5;
const ROUNDS = 24;
/** A vertex belongs to the shape within so many standard deviations of the fit … */
const WITHIN = 4;
/** … or this share of the surface's diagonal: floats … */
const FLOOR = 1e-5;
/** … or of the median edge: the flat triangles of a surface without noise lie off a round shape by so much. */
const FACETED = 0.02;
/**
 * … but never more than so many times the noise close by, or than this share of the surface's diagonal: scans are bent a
 * little over a larger part. Without such a bound a poor fit takes in more and grows poorer.
 */
const LOOSER = 6;
const BENT = 3e-4;
/** … where its normal lies so close to the shape's (cosine of 25°): noise turns normals, an edge turns them more. */
const SAME_WAY = 0.906;
/** A simpler kind is taken where it covers this share of what the best covers … */
const COVERS = 0.85;
/** … with no more than so many times its scatter. */
const SCATTERS = 1.25;

/** A shape whose size or opening is not known to this share of itself, or so many radians, is another one in disguise. */
const KNOWN_TO = 0.05;

/** Does the region tell how large its shape is? */
function isKnown({ fit: { shape, uncertainty: u } }: ShapeRegion): boolean {
  if (shape.kind === 'plane') return true;
  if (shape.kind === 'cone') return u.halfAngleRad < KNOWN_TO;
  return u.radius < KNOWN_TO * shape.radius && u.tubeRadius <= KNOWN_TO * shape.tubeRadius;
}

/** Finds the parts of one surface that are plane, round or conical, each from a place picked on it. */
export class RegionGrower {
  private readonly normals: Float32Array;
  private readonly at: VertexTriangles;
  private readonly floor: number;
  private readonly bent: number;
  private readonly seen: Uint32Array;
  private round = 0;

  /** O(triangles). */
  constructor(private readonly mesh: TriangleMesh) {
    this.normals = mesh.normals ?? vertexNormals(mesh);
    this.at = vertexTriangles(mesh);
    const diagonal = diagonalOf(boundsOf(mesh.positions));
    this.floor = Math.max(FLOOR * diagonal, FACETED * medianEdge(mesh));
    this.bent = BENT * diagonal;
    this.seen = new Uint32Array(vertexCount(mesh));
  }

  /**
   * Grows a region from a vertex: fits a shape to what lies around, takes what lies on it as well, and so on until nothing
   * is added. `any` takes the simplest kind that explains as much as the others. O(region · rounds).
   * @throws GeometryError `degenerate` where nothing of that kind is there
   */
  grow(seed: number, kind: RegionKind | 'any'): ShapeRegion {
    if (!(seed >= 0 && seed < vertexCount(this.mesh)))
      throw new GeometryError('invalid-parameter', `The surface has no vertex ${seed}.`);
    const loosest = this.loosest(seed);
    if (kind !== 'any') {
      const found = this.growKind(seed, kind, loosest);
      if (!found) throw new GeometryError('degenerate', `There is no ${kind} around this place. Try another shape.`);
      return found;
    }
    const grown = REGION_KINDS.flatMap((k) => this.growKind(seed, k, loosest) ?? []);
    const known = grown.filter(isKnown);
    const found = known.length > 0 ? known : grown;
    if (found.length === 0)
      throw new GeometryError('degenerate', 'No simple shape fits around this place. Pick a smoother one.');
    const most = Math.max(...found.map((r) => r.vertices.length));
    const wide = found.filter((r) => r.vertices.length >= COVERS * most);
    const least = Math.min(...wide.map((r) => r.fit.rms));
    return wide.find((r) => r.fit.rms <= SCATTERS * Math.max(least, this.floor / WITHIN))!;
  }

  /** A shape fitted anew to vertices that are known to be of it. */
  refit(shape: Shape, vertices: Uint32Array): ShapeRegion {
    const fit = refineShape(shape, this.pointsOf(vertices));
    return { fit, vertices, inventedRatio: this.inventedRatio(vertices) };
  }

  /** How far off a vertex may lie at most: by what the shape that suits best leaves over close by. */
  private loosest(seed: number): number {
    const points = this.pointsOf(this.around(seed, FIRST / 2));
    const scatters = REGION_KINDS.flatMap((kind) => {
      try {
        return [this.scatter(fitShape(kind, points).shape, points)];
      } catch (e) {
        if (e instanceof GeometryError && e.code === 'degenerate') return [];
        throw e;
      }
    });
    return Math.max(LOOSER * Math.min(...scatters, Infinity), this.bent);
  }

  /** Standard deviation of points off a shape, what its freedoms take away given back. */
  private scatter(shape: Shape, { positions }: MeasuredPoints): number {
    const n = positions.length / 3;
    return robustScale(distancesOf(shape, positions)) * Math.sqrt(n / Math.max(1, n - FREEDOMS[shape.kind].length));
  }

  private growKind(seed: number, kind: RegionKind, loosest: number): ShapeRegion | undefined {
    let region = this.around(seed, FIRST);
    let shape: Shape | undefined;
    let within = this.floor;
    try {
      for (let round = 0; round < ROUNDS; round++) {
        const points = this.pointsOf(region);
        // The first patch is small: what it says of a curved shape is worth little, and the search begins anew.
        shape = shape && round > 2 ? followPoints(shape, points) : fitShape(kind, points).shape;
        within = Math.max(Math.min(WITHIN * this.scatter(shape, points), loosest), this.floor);
        const next = this.flood(seed, shape, within, STRIDE * region.length);
        const same = Math.abs(next.length - region.length) <= 0.002 * region.length;
        if (next.length < FREEDOMS[kind].length * 3) return undefined;
        region = next;
        if (same) break;
      }
      if (!shape) return undefined;
      const fit = refineShape(shape, this.pointsOf(region));
      const vertices = this.withRim(region, fit.shape, within);
      return { fit, vertices, inventedRatio: this.inventedRatio(vertices) };
    } catch (e) {
      // What can't be fitted is not of that kind.
      if (e instanceof GeometryError && e.code === 'degenerate') return undefined;
      throw e;
    }
  }

  /** The vertices around one, ring by ring, up to a number. */
  private around(seed: number, most: number): Uint32Array {
    return this.spread(seed, most, () => true);
  }

  /** The vertices that hang together with the seed and lie on a shape. */
  private flood(seed: number, shape: Shape, within: number, most: number): Uint32Array {
    const { positions: p } = this.mesh;
    const n = this.normals;
    const distance = new ShapeDistance(shape);
    // Seen from inside, as in a bore, all normals are the other way round.
    let side = 0;
    return this.spread(seed, most, (v) => {
      const off = distance.at(p[3 * v], p[3 * v + 1], p[3 * v + 2]);
      if (Math.abs(off) > within) return v === seed;
      const facing = dot3(distance.normal(), n.subarray(3 * v, 3 * v + 3));
      if (side === 0) side = facing < 0 ? -1 : 1;
      return facing * side >= SAME_WAY;
    });
  }

  /**
   * A region with the corners at its edges: their normals lie between those of two faces, but they lie on the shape, and so
   * do triangles that they make with the region. They take no part in the fit: scans round edges off.
   */
  private withRim(region: Uint32Array, shape: Shape, within: number): Uint32Array {
    const { indices, positions: p } = this.mesh;
    const { start, list } = this.at;
    const distance = new ShapeDistance(shape);
    const mark = ++this.round;
    for (const v of region) this.seen[v] = mark;
    const out = [...region];
    const n = new Float64Array(3);
    const lies = (v: number): boolean => Math.abs(distance.at(p[3 * v], p[3 * v + 1], p[3 * v + 2])) <= within;
    function* vertices(): Iterable<number> {
      yield* region;
      yield* out.slice(region.length);
    }
    // Twice: at a corner of a face lies a triangle with no corner inside of it.
    for (const v of vertices()) {
      for (let k = start[v]; k < start[v + 1]; k++) {
        const corners = indices.subarray(3 * list[k], 3 * list[k] + 3);
        if (corners.every((c) => this.seen[c] === mark) || !corners.every((c) => this.seen[c] === mark || lies(c)))
          continue;
        const length = triangleNormal(p, corners[0], corners[1], corners[2], n);
        distance.at(p[3 * v], p[3 * v + 1], p[3 * v + 2]);
        if (Math.abs(dot3(distance.normal(), n)) < SAME_WAY * length) continue;
        for (const c of corners) {
          if (this.seen[c] === mark) continue;
          this.seen[c] = mark;
          out.push(c);
        }
      }
    }
    return Uint32Array.from(out);
  }

  private spread(seed: number, most: number, take: (vertex: number) => boolean): Uint32Array {
    const { indices } = this.mesh;
    const { start, list } = this.at;
    const mark = ++this.round;
    const out: number[] = [];
    const queue = [seed];
    this.seen[seed] = mark;
    for (let head = 0; head < queue.length && out.length < most; head++) {
      const v = queue[head];
      if (!take(v)) continue;
      out.push(v);
      for (let k = start[v]; k < start[v + 1]; k++) {
        for (let c = 0; c < 3; c++) {
          const next = indices[3 * list[k] + c];
          if (this.seen[next] === mark) continue;
          this.seen[next] = mark;
          queue.push(next);
        }
      }
    }
    return Uint32Array.from(out);
  }

  /** The measured vertices of a region. */
  private pointsOf(region: Uint32Array): MeasuredPoints {
    const { positions, expectedError, invented } = this.mesh;
    const measured = invented ? region.filter((v) => invented[v] === 0) : region;
    const gather = (from: Float32Array): Float32Array => {
      const out = new Float32Array(3 * measured.length);
      measured.forEach((v, i) => out.set(from.subarray(3 * v, 3 * v + 3), 3 * i));
      return out;
    };
    return {
      positions: gather(positions),
      normals: gather(this.normals),
      ...(expectedError ? { expectedErrors: Float32Array.from(measured, (v) => expectedError[v]) } : {}),
    };
  }

  private inventedRatio(region: Uint32Array): number {
    const { invented } = this.mesh;
    if (!invented || region.length === 0) return 0;
    return region.reduce((sum, v) => sum + (invented[v] ? 1 : 0), 0) / region.length;
  }
}

/** Of at most a thousand triangles, evenly taken, mm. */
function medianEdge({ positions: p, indices }: TriangleMesh): number {
  const step = 3 * Math.max(1, Math.floor(indices.length / 3000));
  const edges: number[] = [];
  for (let h = 0; h < indices.length; h += step) {
    const [a, b] = [3 * indices[h], 3 * indices[h + 1]];
    edges.push(Math.hypot(p[a] - p[b], p[a + 1] - p[b + 1], p[a + 2] - p[b + 2]));
  }
  return edges.sort((a, b) => a - b)[edges.length >> 1] ?? 0;
}

/** Area of the triangles whose corners all lie in a region, mm². */
export function areaOfRegion(mesh: TriangleMesh, vertices: Uint32Array): number {
  const inside = new Uint8Array(vertexCount(mesh));
  for (const v of vertices) inside[v] = 1;
  const n = new Float64Array(3);
  const { indices } = mesh;
  let sum = 0;
  for (let t = 0; t < indices.length; t += 3) {
    const [a, b, c] = [indices[t], indices[t + 1], indices[t + 2]];
    if (inside[a] && inside[b] && inside[c]) sum += triangleNormal(mesh.positions, a, b, c, n) / 2;
  }
  return sum;
}
