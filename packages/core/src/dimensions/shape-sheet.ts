import { findShapes } from '../fitting/find-shapes.js';
import { areaOfRegion, type ShapeRegion } from '../fitting/grow-region.js';
import type { ShapeKind } from '../fitting/shape.js';
import type { TriangleMesh } from '../geometry/triangle-mesh.js';
import type { Vec3 } from '../math/mat4.js';
import { GeometryError } from '../runtime/geometry-error.js';
import type { RunContext } from '../runtime/run-context.js';
import type { Dimension } from './dimension.js';
import { MeasuringGround } from './measure-dimension.js';
import { linesOfShape } from './shape-lines.js';

/** A shape that a surface is made of, as it is given away (docs/formats.md). Lengths in mm, angles in radians. */
export interface DescribedShape {
  name: string;
  /** A person picked it; else it was found. */
  picked: boolean;
  kind: ShapeKind;
  /** A point of a plane, the middle of a ball or ring, a point on an axis. */
  at: Vec3;
  /** A plane's normal or an axis; a ball has none. */
  axis?: Vec3;
  radius?: number;
  tubeRadius?: number;
  halfAngle?: number;
  /** One standard deviation of each of these. */
  uncertainty: { at: number; axis?: number; radius?: number; tubeRadius?: number; halfAngle?: number };
  /** Root mean square distance of what it was fitted to, and from the lowest to the highest. */
  rms: number;
  form: number;
  /** Of the surface that is of this shape, mm². */
  area: number;
  /** Share of that which no scan measured; it took no part in the fit. */
  inventedRatio: number;
  /** Lines to draw, each 3k. */
  lines: number[][];
}

/** Two shapes that lie on each other for so much of the smaller are one. */
const SAME = 0.5;

/**
 * The shapes of a surface: those that were picked as dimensions, by their names, and those that are found beside them, the
 * largest first, named by kind and number.
 * @param most found shapes that are wanted; 0 looks for none
 */
export function shapeSheet(
  mesh: TriangleMesh,
  asked: readonly Dimension[],
  most: number,
  ctx: RunContext,
): DescribedShape[] {
  const ground = new MeasuringGround(mesh);
  const shapes: { name: string; picked: boolean; region: ShapeRegion }[] = [];
  for (const { kind, name, places, shapes: kinds } of asked) {
    if (kind !== 'shape') continue;
    try {
      shapes.push({ name, picked: true, region: ground.region(places[0], kinds?.[0] ?? 'any') });
    } catch (e) {
      // What is no longer there is told by its dimension.
      if (!(e instanceof GeometryError) || e.code === 'cancelled') throw e;
    }
  }
  const counts = new Map<ShapeKind, number>();
  if (most > 0)
    for (const region of findShapes(mesh, most, ctx)) {
      const { kind } = region.fit.shape;
      if (shapes.some((s) => s.picked && s.region.fit.shape.kind === kind && overlap(s.region, region) > SAME))
        continue;
      const number = (counts.get(kind) ?? 0) + 1;
      counts.set(kind, number);
      shapes.push({ name: `${kind} ${number}`, picked: false, region });
    }
  return shapes.map(({ name, picked, region }) => described(mesh, name, picked, region));
}

/** Share of the smaller region that belongs to both. */
function overlap(a: ShapeRegion, b: ShapeRegion): number {
  const inside = new Set(a.vertices);
  let both = 0;
  for (const v of b.vertices) if (inside.has(v)) both++;
  return both / Math.max(1, Math.min(a.vertices.length, b.vertices.length));
}

function described(mesh: TriangleMesh, name: string, picked: boolean, region: ShapeRegion): DescribedShape {
  const { shape, uncertainty: u, rms, form } = region.fit;
  const { kind } = shape;
  const round = kind !== 'plane';
  const positions = new Float32Array(3 * region.vertices.length);
  region.vertices.forEach((v, i) => positions.set(mesh.positions.subarray(3 * v, 3 * v + 3), 3 * i));
  return {
    name,
    picked,
    kind,
    at: shape.at,
    ...(kind === 'sphere' ? {} : { axis: shape.axis }),
    ...(round ? { radius: shape.radius } : {}),
    ...(kind === 'torus' ? { tubeRadius: shape.tubeRadius } : {}),
    ...(kind === 'cone' ? { halfAngle: shape.halfAngle } : {}),
    uncertainty: {
      at: u.at,
      ...(kind === 'sphere' ? {} : { axis: u.axisRad }),
      ...(round ? { radius: u.radius } : {}),
      ...(kind === 'torus' ? { tubeRadius: u.tubeRadius } : {}),
      ...(kind === 'cone' ? { halfAngle: u.halfAngleRad } : {}),
    },
    rms,
    form,
    area: areaOfRegion(mesh, region.vertices),
    inventedRatio: region.inventedRatio,
    lines: linesOfShape(shape, positions),
  };
}
