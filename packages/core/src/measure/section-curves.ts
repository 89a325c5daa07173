import { vertexCount, type TriangleMesh } from '../geometry/triangle-mesh.js';
import { cross3, dot3, normalize3, type Vec3 } from '../math/mat4.js';
import { nextHalfEdge, oppositeHalfEdges } from '../mesh/topology.js';
import { GeometryError } from '../runtime/geometry-error.js';

/** A plane with directions along it: u to the right, v up, both across `normal`, which points to who looks at it. */
export interface SectionPlane {
  at: Vec3;
  normal: Vec3;
  u: Vec3;
  v: Vec3;
}

/** One outline of a section. */
export interface SectionCurve {
  /** Places along it, 3k, mm; a closed one does not repeat its first. */
  points: Float64Array;
  closed: boolean;
  length: number;
  /** Of a closed curve, mm²: positive around material, negative around a hollow. 0 for an open one. */
  area: number;
}

export interface Section {
  plane: SectionPlane;
  /** The longest first. */
  curves: SectionCurve[];
  length: number;
  /** Material cut through, mm²; hollows are taken off. Tells nothing while a curve is open. */
  area: number;
  openCurves: number;
}

/** A plane through a place, with up as far as it can be for its v. */
export function sectionPlane(at: Vec3, direction: Vec3): SectionPlane {
  const normal = normalize3(direction);
  if (!(Math.hypot(...normal) > 0.5))
    throw new GeometryError('invalid-parameter', 'A section needs a direction that is not zero.');
  const flat = Math.abs(normal[2]) > 0.9999;
  const v = flat ? cross3(normal, [1, 0, 0]) : ([0, 1, 2].map((k) => Number(k === 2) - normal[2] * normal[k]) as Vec3);
  const up = normalize3(v);
  return { at, normal, u: cross3(up, normal), v: up };
}

/**
 * Cuts a surface along a plane. The curves run from triangle to triangle, so each is as exact as the surface; a vertex on
 * the plane counts as above it, which leaves no special case. O(triangles).
 */
export function cutSurface(mesh: TriangleMesh, plane: SectionPlane): Section {
  const { positions: p, indices } = mesh;
  const n = vertexCount(mesh);
  const height = new Float64Array(n);
  const base = dot3(plane.normal, plane.at);
  for (let v = 0; v < n; v++)
    height[v] = p[3 * v] * plane.normal[0] + p[3 * v + 1] * plane.normal[1] + p[3 * v + 2] * plane.normal[2] - base;
  const above = (h: number): boolean => height[indices[h]] >= 0;
  const opposite = oppositeHalfEdges(indices, n);
  const done = new Uint8Array(indices.length / 3);
  const out: SectionCurve[] = [];
  /** The half-edges of a triangle along which the surface comes down through the plane, and goes up again; -1 if it misses it. */
  const down = (t: number): number => crossing(t, true);
  const crossing = (t: number, falls: boolean): number => {
    for (let h = 3 * t; h < 3 * t + 3; h++) if (above(h) === falls && above(nextHalfEdge(h)) !== falls) return h;
    return -1;
  };
  const trace = (from: number): void => {
    const points: number[] = [];
    place(from, points);
    let closed = false;
    for (let t = Math.floor(from / 3); ;) {
      done[t] = 1;
      const up = crossing(t, false);
      const next = opposite[up];
      if (next === from) {
        closed = true;
        break;
      }
      place(up, points);
      if (next < 0) break;
      t = Math.floor(next / 3);
      if (done[t]) break;
    }
    out.push(measured(Float64Array.from(points), closed, plane));
  };
  const place = (h: number, to: number[]): void => {
    // The lower vertex first: both triangles at an edge find the same place.
    const [i, j] = [indices[h], indices[nextHalfEdge(h)]];
    const [a, b] = i < j ? [i, j] : [j, i];
    const s = height[a] / (height[a] - height[b]);
    for (let k = 0; k < 3; k++) to.push(p[3 * a + k] + s * (p[3 * b + k] - p[3 * a + k]));
  };
  // Open curves begin at rims; what is left runs round.
  for (const rims of [true, false]) {
    for (let t = 0; t < done.length; t++) {
      if (done[t]) continue;
      const h = down(t);
      if (h >= 0 && (!rims || opposite[h] < 0)) trace(h);
    }
  }
  out.sort((a, b) => b.length - a.length);
  return {
    plane,
    curves: out,
    length: out.reduce((sum, c) => sum + c.length, 0),
    area: out.reduce((sum, c) => sum + c.area, 0),
    openCurves: out.filter((c) => !c.closed).length,
  };
}

function measured(points: Float64Array, closed: boolean, plane: SectionPlane): SectionCurve {
  const n = points.length / 3;
  const { u, v } = plane;
  let length = 0;
  let twice = 0;
  for (let i = 0; i < (closed ? n : n - 1); i++) {
    const a = 3 * i;
    const b = 3 * ((i + 1) % n);
    const d: Vec3 = [points[b] - points[a], points[b + 1] - points[a + 1], points[b + 2] - points[a + 2]];
    length += Math.hypot(...d);
    // Seen from the curve's first place: large coordinates would take the small differences along.
    const from: Vec3 = [points[a] - points[0], points[a + 1] - points[1], points[a + 2] - points[2]];
    twice += dot3(from, u) * dot3(d, v) - dot3(from, v) * dot3(d, u);
  }
  return { points, closed, length, area: closed ? twice / 2 : 0 };
}

/** A curve's places as seen in the plane, 2k, mm from the plane's `at`. */
export function flatCurve({ points }: SectionCurve, { at, u, v }: SectionPlane): Float64Array {
  const out = new Float64Array((points.length / 3) * 2);
  for (let i = 0; i < points.length / 3; i++) {
    const d: Vec3 = [points[3 * i] - at[0], points[3 * i + 1] - at[1], points[3 * i + 2] - at[2]];
    out[2 * i] = dot3(d, u);
    out[2 * i + 1] = dot3(d, v);
  }
  return out;
}
