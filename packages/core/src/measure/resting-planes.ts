import { boundsOf, diagonalOf } from '../geometry/point-cloud.js';
import { triangleNormal, type TriangleMesh } from '../geometry/triangle-mesh.js';
import { dot3, normalize3, type Vec3 } from '../math/mat4.js';
import { PlaneFit } from '../math/plane-fit.js';
import { spreadDirections } from '../math/spread-directions.js';

/** A way an object can stand: what is up then, and how much of it touches the ground. */
export interface RestingPlane {
  up: Vec3;
  /** Of the ground along `up`, mm. */
  height: number;
  /** Surface that touches the ground, mm². */
  area: number;
}

/** Directions into which normals are sorted, and how many of the fullest are looked at. */
const DIRECTIONS = 400;
const LOOKED_AT = 40;
/** Directions that ask for the outermost vertices. */
const OUTERMOST = 1500;
/** What lies within this share of the diagonal above the ground touches it … */
const TOUCHES = 0.004;
/** … if it faces the ground (cosine of 18°). */
const FACES = 0.95;
/** Two ways to stand that differ by less (cosine of 6°) are one. */
const SAME = 0.9945;

/**
 * The ways in which an object can lie flat on the ground, the broadest first: faces of its surface behind which nothing of it
 * lies. O(triangles · ways).
 */
export function restingPlanes(mesh: TriangleMesh): RestingPlane[] {
  const { positions: p, indices } = mesh;
  const m = indices.length / 3;
  if (m === 0) return [];
  const within = TOUCHES * diagonalOf(boundsOf(p));
  const normals = new Float64Array(3 * m);
  const areas = new Float64Array(m);
  const directions = spreadDirections(DIRECTIONS);
  const sums = directions.map((): Vec3 => [0, 0, 0]);
  for (let t = 0; t < m; t++) {
    const length = triangleNormal(p, indices[3 * t], indices[3 * t + 1], indices[3 * t + 2], normals, 3 * t);
    areas[t] = length / 2;
    if (length === 0) continue;
    const sum = sums[nearestOf(directions, normals, 3 * t)];
    for (let k = 0; k < 3; k++) sum[k] += normals[3 * t + k];
  }
  const outer = outermost(p);
  const tried = sums
    .filter((s) => Math.hypot(...s) > 0)
    .sort((a, b) => Math.hypot(...b) - Math.hypot(...a))
    .slice(0, LOOKED_AT)
    .map((s) => normalize3(s));
  const found = tried.flatMap((down) => {
    let at = down;
    let area = 0;
    // Twice: what touches tells how the ground lies, and that tells better what touches.
    for (let round = 0; round < 3; round++) {
      const lowest = Math.max(...outer.map((v) => dot3(at, p.subarray(3 * v, 3 * v + 3))));
      const fit = new PlaneFit();
      area = 0;
      for (let t = 0; t < m; t++) {
        const facing = normals[3 * t] * at[0] + normals[3 * t + 1] * at[1] + normals[3 * t + 2] * at[2];
        if (facing < FACES * 2 * areas[t] || areas[t] === 0) continue;
        const corners = indices.subarray(3 * t, 3 * t + 3);
        if (!corners.every((v) => dot3(at, p.subarray(3 * v, 3 * v + 3)) > lowest - within)) continue;
        area += areas[t];
        for (const v of corners) fit.add(p[3 * v], p[3 * v + 1], p[3 * v + 2]);
      }
      if (fit.count < 3) return [];
      const { normal, spread } = fit.solve();
      if (!(spread > within)) return [];
      at = dot3(normal, at) < 0 ? (normal.map((c) => -c) as Vec3) : normal;
    }
    const height = Math.max(...outer.map((v) => dot3(at, p.subarray(3 * v, 3 * v + 3))));
    return [{ up: at.map((c) => 0 - c) as Vec3, height: -height, area }];
  });
  found.sort((a, b) => b.area - a.area);
  return found.filter((a, i) => found.slice(0, i).every((b) => dot3(a.up, b.up) < SAME));
}

function nearestOf(directions: readonly Vec3[], n: Float64Array, at: number): number {
  let best = 0;
  let most = -Infinity;
  for (let i = 0; i < directions.length; i++) {
    const d = directions[i];
    const c = d[0] * n[at] + d[1] * n[at + 1] + d[2] * n[at + 2];
    if (c > most) {
      most = c;
      best = i;
    }
  }
  return best;
}

/** Vertices that stick out furthest in some direction. */
function outermost(p: Float32Array): number[] {
  const directions = spreadDirections(OUTERMOST);
  const best = new Uint32Array(directions.length);
  // A part of the vertices finds nearly all; the rest is looked at only where it sticks out further.
  const step = Math.max(1, Math.floor(p.length / 3 / 20_000));
  const reach = new Float64Array(directions.length).fill(-Infinity);
  for (let v = 0; v < p.length / 3; v += step) {
    directions.forEach((d, i) => {
      const t = d[0] * p[3 * v] + d[1] * p[3 * v + 1] + d[2] * p[3 * v + 2];
      if (t > reach[i]) {
        reach[i] = t;
        best[i] = v;
      }
    });
  }
  return [...new Set(best)];
}
