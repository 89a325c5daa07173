import { cieLab } from '../geometry/cie-lab.js';
import type { PointCloud } from '../geometry/point-cloud.js';
import type { Mat4, Vec3 } from '../math/mat4.js';
import type { PointGrid } from '../spatial/point-grid.js';

/** What a scan's paint can tell of where it belongs. */
export interface SurfacePaint {
  /** CIELAB of every fine point, 3 for each. */
  lab: Float32Array;
  /** Fine points that differ from the scan's usual colour, in a seeded shuffle: dots, scratches, patterns. */
  marks: Uint32Array;
  /**
   * Lightness of every fine point against its surroundings, in their deviations: what light, shading and large patterns
   * leave.
   */
  grain: Float32Array;
}

/** A mark differs by this much from the usual colour, in CIELAB with lightness counted by `LIGHTNESS`. */
const MARKED = 9;
/** Two colours farther apart than this are not the same paint. */
const CLASH = 12;
/** Lightness changes with light, angle and exposure: it counts this much less than the hue. */
const LIGHTNESS = 0.4;
/** Surroundings of a point reach so many cells; lightness that spreads less than this in them is noise. */
const SURROUNDINGS = 3;
const EVEN = 0.7;
/** A light beside the lens is mirrored where the surface faces it: brighter points within this cosine are not believed. */
const MIRRORED = 0.94;
/** Shades: classes of the cosine of the angle that the surface is seen at, and points that a class needs. */
const SHADES = 24;
const ENOUGH_OF_A_SHADE = 20;

/**
 * Colours of a scan's thinned points and which of them stand out; undefined for a scan without colours.
 * @param cell the cell that the points were thinned by, mm
 * @param shuffle all point indices in a seeded shuffle
 */
export function surfacePaint(
  fine: PointCloud,
  grid: PointGrid,
  cell: number,
  shuffle: Uint32Array,
  viewpoints: readonly Vec3[],
): SurfacePaint | undefined {
  if (!fine.colors) return undefined;
  const lab = cieLab(fine.colors);
  const usual = [0, 1, 2].map((k) => medianOf(lab, k));
  const marks = shuffle.filter((i) => {
    const d = difference(lab, 3 * i, usual, 0);
    return d > MARKED && !(lab[3 * i] > usual[0] && facesLight(fine, i, viewpoints));
  });
  const lightness = unshaded(fine, lab, viewpoints);
  return { lab, marks, grain: grainOf(fine, grid, lightness, SURROUNDINGS * cell) };
}

/**
 * Lightness without what the angle of sight makes of it: the light is at the sensor, and shading alone would agree wherever
 * the same shape is seen from the same side. The usual lightness of all points seen at like angles is taken off. Scans of
 * several frames average over the lights of all, and are left as they are.
 */
function unshaded(fine: PointCloud, lab: Float32Array, viewpoints: readonly Vec3[]): Float32Array {
  const n = lab.length / 3;
  const lightness = Float32Array.from({ length: n }, (_, i) => lab[3 * i]);
  if (viewpoints.length !== 1) return lightness;
  const shade = Float32Array.from({ length: n }, (_, i) => SHADES * Math.max(0, cosineOfSight(fine, i, viewpoints)));
  const values: number[][] = Array.from({ length: SHADES }, () => []);
  shade.forEach((s, i) => values[Math.min(SHADES - 1, Math.floor(s))].push(lightness[i]));
  const known = values.flatMap((v, k) =>
    v.length >= ENOUGH_OF_A_SHADE ? [{ at: k + 0.5, usual: Float32Array.from(v).sort()[v.length >> 1] }] : [],
  );
  if (known.length === 0) return lightness;
  return lightness.map((v, i) => v - between(known, shade[i]));
}

/** Linear interpolation; beyond the ends their own values. */
function between(known: readonly { at: number; usual: number }[], at: number): number {
  const next = known.findIndex((k) => k.at > at);
  if (next === 0) return known[0].usual;
  if (next < 0) return known[known.length - 1].usual;
  const [a, b] = [known[next - 1], known[next]];
  return a.usual + ((b.usual - a.usual) * (at - a.at)) / (b.at - a.at);
}

function grainOf(fine: PointCloud, grid: PointGrid, lightness: Float32Array, radius: number): Float32Array {
  const p = fine.positions;
  const near = new Uint32Array(96);
  return lightness.map((own, i) => {
    const count = grid.within(p[3 * i], p[3 * i + 1], p[3 * i + 2], radius, near);
    let sum = 0;
    let squares = 0;
    for (let k = 0; k < count; k++) {
      const v = lightness[near[k]];
      sum += v;
      squares += v * v;
    }
    const mean = sum / count;
    return (own - mean) / (Math.sqrt(Math.max(0, squares / count - mean * mean)) + EVEN);
  });
}

/**
 * Adds to `out` how many of a's marks lie on b's surface, and how many of those find nothing of their colour within
 * `reach` mm there. At most `limit` marks are looked at; the counts are scaled to all of them. O(limit · neighbours).
 */
export function comparePaint(
  a: { fine: PointCloud; paint?: SurfacePaint },
  b: { fine: PointCloud; fineGrid: PointGrid; paint?: SurfacePaint },
  bFromA: Mat4,
  on: number,
  reach: number,
  limit: number,
  out: { painted: number; clashing: number },
): void {
  if (!a.paint || !b.paint) return;
  const { marks } = a.paint;
  const m = bFromA;
  const p = a.fine.positions;
  const pn = a.fine.normals!;
  const q = b.fine.positions;
  const qn = b.fine.normals!;
  const count = Math.min(limit, marks.length);
  let compared = 0;
  let clashing = 0;
  for (let s = 0; s < count; s++) {
    const i = 3 * marks[s];
    const x = m[0] * p[i] + m[4] * p[i + 1] + m[8] * p[i + 2] + m[12];
    const y = m[1] * p[i] + m[5] * p[i + 1] + m[9] * p[i + 2] + m[13];
    const z = m[2] * p[i] + m[6] * p[i + 1] + m[10] * p[i + 2] + m[14];
    const hit = b.fineGrid.nearest(x, y, z, reach);
    if (hit < 0) continue;
    const k = 3 * hit;
    const r = Math.abs((x - q[k]) * qn[k] + (y - q[k + 1]) * qn[k + 1] + (z - q[k + 2]) * qn[k + 2]);
    const nx = m[0] * pn[i] + m[4] * pn[i + 1] + m[8] * pn[i + 2];
    const ny = m[1] * pn[i] + m[5] * pn[i + 1] + m[9] * pn[i + 2];
    const nz = m[2] * pn[i] + m[6] * pn[i + 1] + m[10] * pn[i + 2];
    if (r > on || nx * qn[k] + ny * qn[k + 1] + nz * qn[k + 2] < 0.8) continue;
    compared++;
    if (difference(a.paint.lab, i, b.paint.lab, k) <= CLASH) continue;
    const near = b.fineGrid.within(x, y, z, reach, neighbours);
    let same = false;
    for (let n = 0; n < near && !same; n++) same = difference(a.paint.lab, i, b.paint.lab, 3 * neighbours[n]) <= CLASH;
    if (!same) clashing++;
  }
  const weight = count > 0 ? marks.length / count : 0;
  out.painted += weight * compared;
  out.clashing += weight * clashing;
}

const neighbours = new Uint32Array(64);

function difference(a: ArrayLike<number>, i: number, b: ArrayLike<number>, j: number): number {
  return Math.hypot(LIGHTNESS * (a[i] - b[j]), a[i + 1] - b[j + 1], a[i + 2] - b[j + 2]);
}

function medianOf(lab: Float32Array, channel: number): number {
  const values = new Float32Array(lab.length / 3);
  for (let i = 0; i < values.length; i++) values[i] = lab[3 * i + channel];
  return values.sort()[values.length >> 1] ?? 0;
}

const facesLight = (fine: PointCloud, i: number, viewpoints: readonly Vec3[]): boolean =>
  cosineOfSight(fine, i, viewpoints) > MIRRORED;

/** How squarely a point was seen from where it was seen best: 1 = along its normal. */
function cosineOfSight({ positions: p, normals }: PointCloud, i: number, viewpoints: readonly Vec3[]): number {
  const n = normals!;
  let best = -1;
  for (const [x, y, z] of viewpoints) {
    const dx = x - p[3 * i];
    const dy = y - p[3 * i + 1];
    const dz = z - p[3 * i + 2];
    const cosine = (dx * n[3 * i] + dy * n[3 * i + 1] + dz * n[3 * i + 2]) / (Math.hypot(dx, dy, dz) || 1);
    best = Math.max(best, cosine);
  }
  return best;
}
