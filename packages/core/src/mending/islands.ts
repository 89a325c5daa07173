import type { TriangleMesh } from '../geometry/triangle-mesh.js';
import { perpendiculars } from '../math/mat4.js';
import { labelPieces } from '../mesh/topology.js';
import type { Hole } from './holes.js';
import type { HolePatch } from './patched-mesh.js';
import { vertexTriangles } from '../mesh/vertex-triangles.js';

/** An island has no more than this part of the triangles of the piece around it. */
const MOST_SHARE = 0.25;
/** Part of an island's rim that lies within the hole, seen square on. */
const WITHIN = 0.9;
/** It lies no further off the hole's plane than this part of the hole's width. */
const OFF_PLANE = 0.4;
/** The way its rim runs round must be the hole's the other way, as cosine. */
const ROUND = -0.5;
/** Surface that hangs in the air is no island: it has to lie as near to a plain filling of the hole, by its width. */
const NEAR_FILLING = 0.06;

interface RoundRim {
  middle: number[];
  /** Area that the rim runs round, as a vector (M. Newell's sum). */
  area: number[];
}

/**
 * Finds pieces of surface that lie as islands in holes of another: small pieces with a single rim, within the hole and
 * facing as the surface around it. O(n + m + rims).
 * @param holes all of `listHoles` @returns for places in that list, the places of the islands' rims
 */
export function findIslands(mesh: TriangleMesh, holes: readonly Hole[]): Map<number, number[]> {
  const out = new Map<number, number[]>();
  const { label, sizes } = labelPieces(mesh);
  if (sizes.length < 2 || holes.length < 2) return out;
  const { start, list } = vertexTriangles(mesh);
  const pieceOf = holes.map(({ rim }) => label[list[start[rim[0]]]]);
  const rims = new Map<number, number>();
  for (const piece of pieceOf) rims.set(piece, (rims.get(piece) ?? 0) + 1);
  const rounds = holes.map(({ rim }) => roundOf(mesh, rim));
  holes.forEach((island, i) => {
    const size = sizes[pieceOf[i]];
    // A disc whose vertices all lie on its rim has two triangles less than these: it says little of how it lies.
    if (rims.get(pieceOf[i]) !== 1 || size <= island.rim.length - 2) return;
    // The smallest hole that it lies in: the list begins with the longest.
    for (let h = holes.length - 1; h >= 0; h--) {
      if (h === i || holes[h].length <= island.length || pieceOf[h] === pieceOf[i]) continue;
      if (size > MOST_SHARE * sizes[pieceOf[h]] || !liesIn(mesh, island, rounds[i], holes[h], rounds[h])) continue;
      const known = out.get(h);
      if (known) known.push(i);
      else out.set(h, [i]);
      return;
    }
  });
  return out;
}

/** Does a filling pass where an island lies? */
export function passesNear(mesh: TriangleMesh, patch: HolePatch, island: Hole, hole: Hole): boolean {
  const { positions: q } = patch;
  const most = (NEAR_FILLING * hole.length) / Math.PI + island.length / island.rim.length;
  let near = 0;
  for (const v of island.rim) {
    let least = Infinity;
    for (let i = 0; i < q.length; i += 3) {
      const d =
        (q[i] - mesh.positions[3 * v]) ** 2 +
        (q[i + 1] - mesh.positions[3 * v + 1]) ** 2 +
        (q[i + 2] - mesh.positions[3 * v + 2]) ** 2;
      if (d < least) least = d;
    }
    if (least <= most * most) near++;
  }
  return near >= WITHIN * island.rim.length;
}

function roundOf({ positions: p }: TriangleMesh, rim: Uint32Array): RoundRim {
  const n = rim.length;
  const middle = [0, 0, 0];
  for (const v of rim) for (let k = 0; k < 3; k++) middle[k] += p[3 * v + k] / n;
  const area = [0, 0, 0];
  for (let i = 0; i < n; i++) {
    const [a, b] = [3 * rim[i], 3 * rim[(i + 1) % n]];
    for (let k = 0; k < 3; k++) {
      const [u, w] = [(k + 1) % 3, (k + 2) % 3];
      area[k] +=
        ((p[a + u] - middle[u]) * (p[b + w] - middle[w]) - (p[a + w] - middle[w]) * (p[b + u] - middle[u])) / 2;
    }
  }
  return { middle, area };
}

function liesIn(mesh: TriangleMesh, island: Hole, round: RoundRim, hole: Hole, around: RoundRim): boolean {
  const [l, m] = [Math.hypot(...around.area), Math.hypot(...round.area)];
  if (!(l > 0) || !(m > 0)) return false;
  const normal = around.area.map((c) => c / l);
  if (normal.reduce((s, c, k) => s + (c * round.area[k]) / m, 0) > ROUND) return false;
  const [u, w] = perpendiculars([normal[0], normal[1], normal[2]]);
  const flat = (v: number): [number, number, number] => {
    const d = [0, 1, 2].map((k) => mesh.positions[3 * v + k] - around.middle[k]);
    const along = (axis: readonly number[]): number => d[0] * axis[0] + d[1] * axis[1] + d[2] * axis[2];
    return [along(u), along(w), along(normal)];
  };
  const outline = Array.from(hole.rim, flat);
  const width = hole.length / Math.PI;
  let within = 0;
  for (const v of island.rim) {
    const [x, y, off] = flat(v);
    if (Math.abs(off) > OFF_PLANE * width) continue;
    let inside = false;
    outline.forEach(([ax, ay], i) => {
      const [bx, by] = outline[(i + 1) % outline.length];
      if (ay > y !== by > y && x < ax + ((y - ay) / (by - ay)) * (bx - ax)) inside = !inside;
    });
    if (inside) within++;
  }
  return within >= WITHIN * island.rim.length;
}
