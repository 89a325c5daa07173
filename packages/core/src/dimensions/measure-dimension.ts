import { areaOfRegion, RegionGrower, type RegionKind, type ShapeRegion } from '../fitting/grow-region.js';
import { relate } from '../fitting/relations.js';
import { diagonalOf, boundsOf } from '../geometry/point-cloud.js';
import { triangleNormal, type TriangleMesh } from '../geometry/triangle-mesh.js';
import { cross3, dot3, normalize3, type Vec3 } from '../math/mat4.js';
import { capacity, heldUpTo } from '../measure/capacity.js';
import { cutSurface, sectionPlane, type Section } from '../measure/section-curves.js';
import { SurfacePaths } from '../measure/surface-path.js';
import { WallThickness } from '../measure/wall-thickness.js';
import { vertexTriangles, type VertexTriangles } from '../mesh/vertex-triangles.js';
import { GeometryError } from '../runtime/geometry-error.js';
import { TriangleBvh, type SurfaceHit } from '../spatial/triangle-bvh.js';
import { PLACES_OF, type Dimension, type MeasuredDimension, type MeasuredValue } from './dimension.js';
import { extentAlong, linesOfShape } from './shape-lines.js';

/** A place further off the surface than this share of its diagonal is no longer there. */
const GONE = 0.05;

/** Triangles whose normals differ by less (cosine of 37°) are one face: noise turns them, an edge turns them more. */
const SAME_FACE = 0.8;

/** A place on the surface as it is. */
interface Foot {
  at: Vec3;
  triangle: number;
  /** The vertex nearest to it. */
  vertex: number;
  invented: boolean;
  /** mm; NaN where nothing tells. */
  expectedError: number;
}

/** One surface to measure on. What a kind of dimension needs is made when the first of that kind is measured. */
export class MeasuringGround {
  private readonly size: number;
  private bvh?: TriangleBvh;
  private regions?: RegionGrower;
  private paths?: SurfacePaths;
  private walls?: WallThickness;
  private around?: VertexTriangles;

  /** @param offs how far each vertex lies off a reference, mm, NaN where nothing tells; missing without a comparison */
  constructor(
    private readonly mesh: TriangleMesh,
    private readonly offs?: Float32Array,
  ) {
    if (mesh.indices.length === 0)
      throw new GeometryError('empty-input', 'The surface has no triangles: there is nothing to measure.');
    this.size = diagonalOf(boundsOf(mesh.positions));
  }

  /**
   * Measures one dimension. What can't be measured is told in `fault`, with what to do.
   * @throws GeometryError `invalid-parameter` where a dimension lacks places
   */
  measure(dimension: Dimension): MeasuredDimension {
    const { kind, places } = dimension;
    if (places.length !== PLACES_OF[kind])
      throw new GeometryError(
        'invalid-parameter',
        `"${dimension.name}" has ${places.length} places; a dimension of its kind (${kind}) takes ${PLACES_OF[kind]}.`,
      );
    try {
      const feet = places.map((p) => this.footOf(p));
      const moved = Math.max(0, ...feet.map((f, i) => gap(f.at, places[i])));
      return {
        places: feet.map((f) => f.at),
        moved,
        inventedRatio: feet.length === 0 ? 0 : feet.filter((f) => f.invented).length / feet.length,
        ...this.found(dimension, feet),
      };
    } catch (e) {
      if (!(e instanceof GeometryError) || e.code === 'cancelled') throw e;
      return {
        values: [],
        places,
        moved: 0,
        inventedRatio: 0,
        lines: [],
        label: places[0] ?? [0, 0, 0],
        fault: e.message,
      };
    }
  }

  /** The outlines of a section, in full: a dimension's lines are those of the longest. */
  section(at: Vec3, direction: Vec3): Section {
    return cutSurface(this.mesh, sectionPlane(at, direction));
  }

  /** The part of the surface around a place that is of one shape. */
  region(at: Vec3, kind: RegionKind | 'any'): ShapeRegion {
    this.regions ??= new RegionGrower(this.mesh);
    return this.regions.grow(this.footOf(at).vertex, kind);
  }

  /** The way outwards at a place: the normal of the surface there. */
  outwards(at: Vec3): Vec3 {
    return this.faceNormalAt(this.footOf(at).triangle);
  }

  private found(
    dimension: Dimension,
    feet: Foot[],
  ): Pick<MeasuredDimension, 'values' | 'lines' | 'label'> & Partial<MeasuredDimension> {
    const { kind, shapes = [] } = dimension;
    switch (kind) {
      case 'distance': {
        const [a, b] = feet;
        return {
          values: [
            {
              label: 'Distance',
              kind: 'length',
              value: gap(a.at, b.at),
              ...uncertain(a.expectedError, b.expectedError),
            },
          ],
          lines: [[...a.at, ...b.at]],
          label: middleOf(a.at, b.at),
        };
      }
      case 'along': {
        this.paths ??= new SurfacePaths(this.mesh);
        const [a, b] = feet;
        const { length, points } = this.paths.between(a.vertex, b.vertex);
        const half = 3 * Math.floor(points.length / 6);
        return {
          values: [
            {
              label: 'Along the surface',
              kind: 'length',
              value: length,
              ...uncertain(a.expectedError, b.expectedError),
            },
            { label: 'Straight', kind: 'length', value: gap(this.placeOf(a.vertex), this.placeOf(b.vertex)) },
          ],
          lines: [[...points]],
          label: [points[half], points[half + 1], points[half + 2]],
          places: [this.placeOf(a.vertex), this.placeOf(b.vertex)],
        };
      }
      case 'angle': {
        const [a, corner, b] = feet.map((f) => f.at);
        const [u, v] = [minus(a, corner), minus(b, corner)];
        const [lu, lv] = [Math.hypot(...u), Math.hypot(...v)];
        if (lu === 0 || lv === 0)
          throw new GeometryError('degenerate', 'Two of the three places are the same. Pick three.');
        const across = Math.hypot(u[1] * v[2] - u[2] * v[1], u[2] * v[0] - u[0] * v[2], u[0] * v[1] - u[1] * v[0]);
        const errors = feet.map((f) => f.expectedError);
        const sigma = Math.hypot(errors[0] / lu, errors[2] / lv, errors[1] / Math.min(lu, lv));
        return {
          values: [
            {
              label: 'Angle',
              kind: 'angle',
              value: Math.atan2(across, dot3(u, v)),
              ...(sigma >= 0 ? { uncertainty: sigma } : {}),
            },
          ],
          lines: [[...a, ...corner, ...b]],
          label: corner,
        };
      }
      case 'shape':
        return this.shapeAt(this.region(feet[0].at, shapes[0] ?? 'any'));
      case 'relation':
        return this.relation(this.region(feet[0].at, shapes[0] ?? 'any'), this.region(feet[1].at, shapes[1] ?? 'any'));
      case 'wall':
        return this.wall(feet[0]);
      case 'section': {
        const section = this.section(feet[0].at, dimension.direction ?? [0, 0, 1]);
        const values: MeasuredValue[] = [{ label: 'Outline', kind: 'length', value: section.length }];
        if (section.openCurves === 0) values.unshift({ label: 'Area', kind: 'area', value: section.area });
        return {
          values,
          lines: section.curves.map(({ points, closed }) => [...points, ...(closed ? points.subarray(0, 3) : [])]),
          label: feet[0].at,
          // A section runs right round: where it was asked for says nothing about what was seen.
          inventedRatio: 0,
        };
      }
      case 'off':
        return this.offReference(feet[0]);
      case 'holds':
        return this.holds(dimension.level);
      case 'note': {
        const [{ at, expectedError }] = feet;
        return {
          values: ['X', 'Y', 'Z'].map((label, k) => ({
            label,
            kind: 'length',
            value: at[k],
            ...uncertain(expectedError, 0),
          })),
          lines: [],
          label: at,
        };
      }
    }
  }

  private wall(foot: Foot): Pick<MeasuredDimension, 'values' | 'lines' | 'label' | 'inventedRatio'> {
    this.walls ??= new WallThickness(this.mesh);
    const n = this.faceNormalAt(foot.triangle);
    const ball = this.walls.at(foot.at, n, 'ball', this.size);
    const ray = this.walls.at(foot.at, n, 'ray', this.size);
    if (Number.isNaN(ball) && Number.isNaN(ray))
      throw new GeometryError(
        'degenerate',
        'There is no other side behind this place. The surface must be closed there.',
      );
    const values: MeasuredValue[] = [];
    const unsure = uncertain(foot.expectedError, foot.expectedError);
    if (!Number.isNaN(ball)) values.push({ label: 'Wall', kind: 'length', value: ball, ...unsure });
    if (!Number.isNaN(ray)) values.push({ label: 'Straight through', kind: 'length', value: ray, ...unsure });
    const through = Number.isNaN(ray) ? ball : ray;
    const back = foot.at.map((c, k) => c - through * n[k]) as Vec3;
    // A wall has two sides: both must have been seen.
    const sides = [foot, this.footOf(back)];
    const inventedRatio = sides.filter((f) => f.invented).length / 2;
    return { values, lines: [[...foot.at, ...back]], label: foot.at, inventedRatio };
  }

  private offReference({ at, triangle, expectedError }: Foot): Pick<MeasuredDimension, 'values' | 'lines' | 'label'> {
    const { positions, indices } = this.mesh;
    if (this.offs?.length !== positions.length / 3)
      throw new GeometryError(
        'degenerate',
        'This surface was not compared with a reference. Compare it, then measure anew.',
      );
    const corners = indices.subarray(3 * triangle, 3 * triangle + 3);
    const shares = sharesOf(at, corners, positions);
    const value = shares.reduce((sum, share, k) => sum + share * this.offs![corners[k]], 0);
    if (Number.isNaN(value))
      throw new GeometryError('degenerate', 'Nothing of the reference is near this place, or no scan measured it.');
    return {
      values: [{ label: 'Off the reference', kind: 'length', value, ...uncertain(expectedError, 0) }],
      lines: [],
      label: at,
    };
  }

  private shapeAt(
    region: ShapeRegion,
  ): Pick<MeasuredDimension, 'values' | 'lines' | 'label' | 'inventedRatio' | 'shapes' | 'axes'> {
    const { shape, form, uncertainty: u } = region.fit;
    const positions = this.positionsOf(region);
    const length = (label: string, value: number, uncertainty?: number): MeasuredValue => ({
      label,
      kind: 'length',
      value,
      ...(uncertainty === undefined ? {} : { uncertainty }),
    });
    const values: MeasuredValue[] = [];
    if (shape.kind === 'plane')
      values.push(length('Flatness', form), {
        label: 'Area',
        kind: 'area',
        value: areaOfRegion(this.mesh, region.vertices),
      });
    if (shape.kind === 'sphere')
      values.push(length('Diameter', 2 * shape.radius, 2 * u.radius), length('Off the ball', form));
    if (shape.kind === 'cylinder') {
      const [low, high] = extentAlong(positions, shape.axis, shape.at);
      values.push(
        length('Diameter', 2 * shape.radius, 2 * u.radius),
        length('Length', high - low),
        length('Cylindricity', form),
      );
    }
    if (shape.kind === 'cone')
      values.push(
        { label: 'Opening', kind: 'angle', value: 2 * Math.abs(shape.halfAngle), uncertainty: 2 * u.halfAngleRad },
        length('Diameter in the middle', 2 * shape.radius, 2 * u.radius),
        length('Off the cone', form),
      );
    if (shape.kind === 'torus')
      values.push(
        length('Diameter of the ring', 2 * shape.radius, 2 * u.radius),
        length('Diameter of its tube', 2 * shape.tubeRadius, 2 * u.tubeRadius),
        length('Off the ring', form),
      );
    return {
      shapes: [shape.kind],
      ...(shape.kind === 'sphere' ? {} : { axes: [shape.axis] }),
      values,
      lines: linesOfShape(shape, positions),
      label: shape.at,
      inventedRatio: region.inventedRatio,
    };
  }

  /** The first shape against the second, its datum. */
  private relation(
    region: ShapeRegion,
    datum: ShapeRegion,
  ): Pick<MeasuredDimension, 'values' | 'lines' | 'label' | 'inventedRatio' | 'shapes'> {
    const [a, b] = [region.fit, datum.fit];
    const positions = this.positionsOf(region);
    const r = relate(a.shape, positions, b.shape);
    const values: MeasuredValue[] = [];
    const reach = gap(a.shape.at, b.shape.at);
    const tilt = Math.hypot(a.uncertainty.axisRad, b.uncertainty.axisRad);
    if (r.distance !== undefined)
      values.push({
        label: 'Distance',
        kind: 'length',
        value: r.distance,
        // A tilt of the datum moves what lies far from its middle.
        uncertainty: Math.hypot(
          a.uncertainty.at,
          b.uncertainty.at,
          b.uncertainty.axisRad * Math.sqrt(Math.max(0, reach ** 2 - r.distance ** 2)),
        ),
      });
    if (r.angle !== undefined) values.push({ label: 'Angle', kind: 'angle', value: r.angle, uncertainty: tilt });
    const zones = [
      ['Parallelism', r.parallelism],
      ['Perpendicularity', r.perpendicularity],
      ['Coaxiality', r.coaxiality],
    ] as const;
    for (const [label, value] of zones) if (value !== undefined) values.push({ label, kind: 'length', value });
    return {
      shapes: [a.shape.kind, b.shape.kind],
      values,
      lines: [
        ...linesOfShape(a.shape, positions),
        ...linesOfShape(b.shape, this.positionsOf(datum)),
        [...a.shape.at, ...b.shape.at],
      ],
      label: middleOf(a.shape.at, b.shape.at),
      inventedRatio: (region.inventedRatio + datum.inventedRatio) / 2,
    };
  }

  private holds(level: number | undefined): Pick<MeasuredDimension, 'values' | 'lines' | 'label'> {
    const held = level === undefined ? capacity(this.mesh) : { level, volume: heldUpTo(this.mesh, level) };
    if (held.volume === 0)
      throw new GeometryError(
        'degenerate',
        level === undefined
          ? 'Nothing is held: the piece has no hollow that is open upwards, or does not stand upright.'
          : `Nothing is held up to ${level} mm: that is above the lowest rim, below the ground, or the surface is open.`,
      );
    const surface = this.section([0, 0, held.level - 1e-4 * this.size], [0, 0, 1]);
    const inner = surface.curves.filter((c) => c.closed && c.area < 0);
    const lines = inner.map(({ points }) => [...points, ...points.subarray(0, 3)]);
    return {
      values: [
        { label: 'Holds', kind: 'volume', value: held.volume },
        { label: 'Level', kind: 'length', value: held.level },
      ],
      lines,
      label: lines[0] ? [lines[0][0], lines[0][1], lines[0][2]] : [0, 0, held.level],
    };
  }

  /** Where a place lies on the surface. @throws GeometryError `degenerate` if it is no longer there */
  private footOf(p: Vec3): Foot {
    this.bvh ??= new TriangleBvh(this.mesh);
    const hit: SurfaceHit = { triangle: 0, squaredDistance: 0, x: 0, y: 0, z: 0, v: 0, w: 0 };
    if (!this.bvh.closest(p[0], p[1], p[2], GONE * this.size, hit))
      throw new GeometryError('degenerate', 'The surface is no longer near the place that was picked. Pick it anew.');
    const at: Vec3 = [hit.x, hit.y, hit.z];
    const corners = [...this.mesh.indices.subarray(3 * hit.triangle, 3 * hit.triangle + 3)];
    const vertex = corners.reduce((best, v) => (gap(this.placeOf(v), at) < gap(this.placeOf(best), at) ? v : best));
    return {
      at,
      triangle: hit.triangle,
      vertex,
      invented: this.mesh.invented?.[vertex] === 1,
      expectedError: this.mesh.expectedError?.[vertex] ?? NaN,
    };
  }

  /** Normal of the face that a triangle is part of: of it and those around it that look the same way, so that noise evens out. */
  private faceNormalAt(triangle: number): Vec3 {
    const { positions, indices } = this.mesh;
    this.around ??= vertexTriangles(this.mesh);
    const { start, list } = this.around;
    const n = new Float64Array(3);
    const normalOf = (t: number): Vec3 => {
      triangleNormal(positions, indices[3 * t], indices[3 * t + 1], indices[3 * t + 2], n);
      return [n[0], n[1], n[2]];
    };
    const near = new Set<number>();
    for (const v of indices.subarray(3 * triangle, 3 * triangle + 3))
      for (let k = start[v]; k < start[v + 1]; k++) near.add(list[k]);
    const all = [...near].map(normalOf);
    let normal = normalize3(normalOf(triangle));
    for (let round = 0; round < 3; round++) {
      const sum: Vec3 = [0, 0, 0];
      for (const f of all)
        if (dot3(f, normal) >= SAME_FACE * Math.hypot(...f)) for (let k = 0; k < 3; k++) sum[k] += f[k];
      normal = normalize3(sum);
    }
    return normal;
  }

  private placeOf(v: number): Vec3 {
    const { positions: p } = this.mesh;
    return [p[3 * v], p[3 * v + 1], p[3 * v + 2]];
  }

  private positionsOf({ vertices }: ShapeRegion): Float32Array {
    const out = new Float32Array(3 * vertices.length);
    vertices.forEach((v, i) => out.set(this.mesh.positions.subarray(3 * v, 3 * v + 3), 3 * i));
    return out;
  }
}

const minus = (a: Vec3, b: Vec3): Vec3 => [a[0] - b[0], a[1] - b[1], a[2] - b[2]];
const gap = (a: Vec3, b: Vec3): number => Math.hypot(...minus(a, b));
const middleOf = (a: Vec3, b: Vec3): Vec3 => [(a[0] + b[0]) / 2, (a[1] + b[1]) / 2, (a[2] + b[2]) / 2];

/** Of a length between two places, each with its expected error. */
function uncertain(a: number, b: number): { uncertainty?: number } {
  const both = Math.hypot(a, b);
  return both >= 0 ? { uncertainty: both } : {};
}

/** How much each corner of a triangle counts at a place in it: its barycentric coordinates, by the areas across. */
function sharesOf(at: Vec3, corners: ArrayLike<number>, positions: Float32Array): Vec3 {
  const [a, b, c] = Array.from(corners, (v): Vec3 => [positions[3 * v], positions[3 * v + 1], positions[3 * v + 2]]);
  const from = (p: Vec3, q: Vec3): Vec3 => [q[0] - p[0], q[1] - p[1], q[2] - p[2]];
  const [ab, ac, ap] = [from(a, b), from(a, c), from(a, at)];
  const n = cross3(ab, ac);
  const whole = dot3(n, n);
  // Without area any of its corners will do.
  if (!(whole > 0)) return [1, 0, 0];
  const second = Math.min(1, Math.max(0, dot3(cross3(ap, ac), n) / whole));
  const third = Math.min(1 - second, Math.max(0, dot3(cross3(ab, ap), n) / whole));
  return [1 - second - third, second, third];
}
