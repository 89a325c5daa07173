import { vertexCount, vertexNormals, type TriangleMesh } from '../geometry/triangle-mesh.js';
import type { Vec3 } from '../math/mat4.js';
import { GeometryError } from '../runtime/geometry-error.js';
import type { RunContext } from '../runtime/run-context.js';
import { vertexAreas, weakPlaces } from './weak-places.js';
import { WallThickness, type ThicknessMethod } from './wall-thickness.js';

/** A connected part of a surface whose wall is thinner than wanted. */
export interface ThinPlace {
  place: Vec3;
  /** mm. */
  thickness: number;
  /** One standard deviation of it, from the expected error on both sides; absent where nothing tells. */
  uncertainty?: number;
  /** mm². */
  area: number;
}

/** Thickness of the walls behind every vertex of a surface. */
export interface WallMap {
  /** mm; NaN where no wall is: nothing behind within reach, or what is there faces the same way. */
  thickness: Float32Array;
  /** Of the area that has a wall, or none within reach: share that is thinner than wanted. */
  thinRatio: number;
  /** Of that, share where the expected error is so large that the wall may be thick enough (two standard deviations). */
  unsureRatio: number;
  /** Where one thousandth of the area has thinner walls, mm; NaN without any wall. */
  thinnest: number;
  /** The broadest thin places first. */
  places: ThinPlace[];
}

/** Thicker than so many times what is wanted need not be known. */
const REACH = 8;
/** Thin places that are listed. */
const LISTED = 30;
/** A thousandth of the area is noise of rims. */
const THINNEST = 0.001;
const EVERY = 1024;

/**
 * Measures the wall behind every vertex of a closed surface. Only what faces the other way is another side: at an edge the
 * neighbouring face is no wall. O(n log m).
 * @param least what is wanted, mm
 * @throws GeometryError `invalid-parameter`
 */
export function wallMap(mesh: TriangleMesh, least: number, method: ThicknessMethod, ctx: RunContext): WallMap {
  if (!(least > 0)) throw new GeometryError('invalid-parameter', 'A thinnest wall must be more than 0 mm.');
  const walls = new WallThickness(mesh);
  const { positions: p, expectedError: e } = mesh;
  const normals = mesh.normals ?? vertexNormals(mesh);
  const n = vertexCount(mesh);
  const thickness = new Float32Array(n);
  const place: Vec3 = [0, 0, 0];
  const normal: Vec3 = [0, 0, 0];
  for (let v = 0; v < n; v++) {
    if (v % EVERY === 0) ctx.checkpoint((0.95 * v) / n);
    for (let k = 0; k < 3; k++) {
      place[k] = p[3 * v + k];
      normal[k] = normals[3 * v + k];
    }
    thickness[v] = walls.between(place, normal, method, REACH * least);
  }
  const areas = vertexAreas(mesh);
  // The other side is as uncertain as this one, as far as anything tells.
  const uncertainty = (v: number): number => (e && e[v] >= 0 ? Math.SQRT2 * e[v] : NaN);
  let [all, thin, unsure] = [0, 0, 0];
  for (let v = 0; v < n; v++) {
    all += areas[v];
    if (!(thickness[v] < least)) continue;
    thin += areas[v];
    if (thickness[v] + 2 * uncertainty(v) >= least) unsure += areas[v];
  }
  const places = weakPlaces(
    mesh,
    areas,
    (v) => least - thickness[v],
    (v) => thickness[v] < least,
    LISTED,
  ).map(({ place: at, vertex, area, worst }): ThinPlace => {
    const found = least - worst;
    const u = uncertainty(vertex);
    return { place: at, area, thickness: found, ...(u >= 0 ? { uncertainty: u } : {}) };
  });
  ctx.checkpoint(1);
  return {
    thickness,
    thinRatio: all > 0 ? thin / all : 0,
    unsureRatio: thin > 0 ? unsure / thin : 0,
    thinnest: thinnestOf(thickness, areas, all),
    places,
  };
}

function thinnestOf(thickness: Float32Array, areas: Float64Array, all: number): number {
  const order = Array.from(thickness.keys()).filter((v) => !Number.isNaN(thickness[v]));
  order.sort((a, b) => thickness[a] - thickness[b]);
  let upTo = 0;
  for (const v of order) {
    upTo += areas[v];
    if (upTo >= THINNEST * all) return thickness[v];
  }
  return order.length > 0 ? thickness[order[order.length - 1]] : NaN;
}
