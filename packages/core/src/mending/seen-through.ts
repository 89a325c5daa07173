import type { SightLines } from '../geometry/sight-lines.js';
import type { TriangleMesh } from '../geometry/triangle-mesh.js';
import { VoxelTable } from '../spatial/voxel-keys.js';
import type { Hole } from './holes.js';

/** A skin over a hole is told by so many cells along its width. */
const CELLS = 8;
/** What lies within this share of the hole's width behind the skin may be the surface itself, not something behind it. */
const BEHIND = 0.15;

/**
 * Through which share of each hole a scan has looked: sight lines that pass a skin over the hole and end well behind it. Unseen
 * surface lets none through; an opening of the object, such as the space between two spokes, nearly all.
 * O(holes · lines) with a small factor; exact work only for lines that come near.
 */
export function seenThrough(mesh: TriangleMesh, holes: readonly Hole[], lines: SightLines): Float32Array {
  const out = new Float32Array(holes.length);
  holes.forEach((hole, h) => (out[h] = shareSeenThrough(mesh, hole, lines)));
  return out;
}

function shareSeenThrough({ positions: p }: TriangleMesh, { rim, middle }: Hole, lines: SightLines): number {
  let radius = 0;
  for (const v of rim)
    radius = Math.max(radius, Math.hypot(p[3 * v] - middle[0], p[3 * v + 1] - middle[1], p[3 * v + 2] - middle[2]));
  const cell = (2 * radius) / CELLS;
  if (!(cell > 0)) return 0;
  const all = new VoxelTable(64);
  // The skin is a fan about the middle; its cells are those of places spread over each of its triangles.
  for (let i = 0; i < rim.length; i++) {
    const a = 3 * rim[i];
    const b = 3 * rim[(i + 1) % rim.length];
    const rows = Math.max(2, Math.ceil((2 * radius) / cell));
    for (let r = 1; r <= rows; r++)
      for (const s of [0, 0.5]) {
        const t = (r - 0.5) / rows;
        const at = [0, 1, 2].map((k) => middle[k] + t * (p[a + k] + s * (p[b + k] - p[a + k]) - middle[k]));
        all.insert(Math.floor(at[0] / cell), Math.floor(at[1] / cell), Math.floor(at[2] / cell));
      }
  }
  const through = new VoxelTable(64);
  const hit = new Float64Array(3);
  for (let i = 0; i < lines.count; i++) {
    if (!passesBall(lines, i, middle, radius)) continue;
    for (let k = 0; k < rim.length; k++) {
      const behind = meetsTriangle(lines, i, p, middle, rim[k], rim[(k + 1) % rim.length], hit);
      if (!(behind > BEHIND * 2 * radius)) continue;
      const [x, y, z] = hit.map((v) => Math.floor(v / cell));
      if (all.find(x, y, z) >= 0) through.insert(x, y, z);
      break;
    }
  }
  return all.size > 0 ? through.size / all.size : 0;
}

/** Does a sight line come within the ball about a hole before it ends? */
function passesBall({ from, to }: SightLines, i: number, c: readonly number[], radius: number): boolean {
  const o = 3 * i;
  const dx = to[o] - from[o];
  const dy = to[o + 1] - from[o + 1];
  const dz = to[o + 2] - from[o + 2];
  const l2 = dx * dx + dy * dy + dz * dz;
  if (!(l2 > 0)) return false;
  const t = ((c[0] - from[o]) * dx + (c[1] - from[o + 1]) * dy + (c[2] - from[o + 2]) * dz) / l2;
  const s = t < 0 ? 0 : t > 1 ? 1 : t;
  const x = from[o] + s * dx - c[0];
  const y = from[o + 1] + s * dy - c[1];
  const z = from[o + 2] + s * dz - c[2];
  return x * x + y * y + z * z <= radius * radius;
}

/**
 * Where a sight line meets the triangle (middle, a, b): how much of it lies behind, mm, and the place in `out`; -1 if it misses.
 * Source: T. Möller, B. Trumbore (1997), Fast, minimum storage ray/triangle intersection.
 */
function meetsTriangle(
  { from, to }: SightLines,
  i: number,
  p: Float32Array,
  middle: readonly number[],
  a: number,
  b: number,
  out: Float64Array,
): number {
  const o = 3 * i;
  const dx = to[o] - from[o];
  const dy = to[o + 1] - from[o + 1];
  const dz = to[o + 2] - from[o + 2];
  const ux = p[3 * a] - middle[0];
  const uy = p[3 * a + 1] - middle[1];
  const uz = p[3 * a + 2] - middle[2];
  const vx = p[3 * b] - middle[0];
  const vy = p[3 * b + 1] - middle[1];
  const vz = p[3 * b + 2] - middle[2];
  const hx = dy * vz - dz * vy;
  const hy = dz * vx - dx * vz;
  const hz = dx * vy - dy * vx;
  const det = ux * hx + uy * hy + uz * hz;
  if (Math.abs(det) < 1e-12) return -1;
  const sx = from[o] - middle[0];
  const sy = from[o + 1] - middle[1];
  const sz = from[o + 2] - middle[2];
  const u = (sx * hx + sy * hy + sz * hz) / det;
  if (u < 0 || u > 1) return -1;
  const qx = sy * uz - sz * uy;
  const qy = sz * ux - sx * uz;
  const qz = sx * uy - sy * ux;
  const v = (dx * qx + dy * qy + dz * qz) / det;
  if (v < 0 || u + v > 1) return -1;
  const t = (vx * qx + vy * qy + vz * qz) / det;
  if (t < 0 || t > 1) return -1;
  out[0] = from[o] + t * dx;
  out[1] = from[o + 1] + t * dy;
  out[2] = from[o + 2] + t * dz;
  return (1 - t) * Math.sqrt(dx * dx + dy * dy + dz * dz);
}
