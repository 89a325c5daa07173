import { mapTask } from '../runtime/map-task.js';
import type { RunContext } from '../runtime/run-context.js';
import { PointGrid } from '../spatial/point-grid.js';
import { VoxelTable } from '../spatial/voxel-keys.js';
import {
  INCIDENCES,
  leastVariance,
  withGrid,
  withoutGrid,
  type MeasuredPoints,
  type PlainPoints,
} from './measured-points.js';
import { PatchFitter, type PatchManner } from './patch-fitter.js';

/** Numbers per patch: centre 3, normal 3, u 3, v 3, coefficients 6, then its standard deviation. */
export const PATCH = 19;
/** Standard deviation of the height at the centre, mm. */
export const SIGMA = 18;

/** A patch blends with those around it over so many distances between them. */
export const BLENDING = 1.75;

/** Places a patch needs within two and a half spacings; a stray point has none or one. */
const LEAST_NEAR = 5;

/** Quadratic patches on the measured surface, one about every `cell` mm. */
export interface SurfacePatches {
  count: number;
  /** `PATCH` numbers each. */
  data: Float64Array;
  /** Which scans took part, `scanWords` words of bits each. */
  scans: Uint32Array;
  scanWords: number;
  cell: number;
  /** Over the centres. */
  grid: PointGrid;
}

/** One measured point in every cube of edge `cell`, two where it was seen from opposite sides (thin walls). O(points). */
export function chooseSites(points: MeasuredPoints, cell: number): Uint32Array {
  const { positions: p, towardsSensor: q, count } = points;
  const table = new VoxelTable(count >> 3);
  const front: number[] = [];
  const back: number[] = [];
  for (let i = 0; i < count; i++) {
    const before = table.size;
    const slot = table.insert(
      Math.floor(p[3 * i] / cell),
      Math.floor(p[3 * i + 1] / cell),
      Math.floor(p[3 * i + 2] / cell),
    );
    if (slot === before) {
      front.push(i);
      back.push(-1);
    } else if (back[slot] < 0) {
      const j = front[slot];
      if (q[3 * i] * q[3 * j] + q[3 * i + 1] * q[3 * j + 1] + q[3 * i + 2] * q[3 * j + 2] < 0) back[slot] = i;
    }
  }
  return Uint32Array.from([...front, ...back.filter((i) => i >= 0)].sort((a, b) => a - b));
}

/** Sites looked at to learn the noise. */
const LEARNING = 3000;

/**
 * Learns on the spot how far each scan's points lie off the surface that all scans make together, by incidence, from patches at
 * some of the sites; twice, since how patches weigh their points rests on it.
 */
export function learnNoise(points: MeasuredPoints, sites: Uint32Array, ctx: RunContext): void {
  const squares = new Float64Array(points.variance.length);
  const counts = new Float64Array(points.variance.length);
  const step = Math.max(1, Math.floor(sites.length / LEARNING));
  for (let round = 0; round < 2; round++) {
    squares.fill(0);
    counts.fill(0);
    // Generous at first, or what the first guess calls outlying stays out for good.
    const fitter = new PatchFitter(points, { agreement: 2, outlying: round === 0 ? 6 : 4 });
    for (let k = 0; k < sites.length; k += step) {
      ctx.checkpoint((round + k / sites.length) / 2);
      if (!fitter.start(sites[k]) || !fitter.fit(2, true) || !fitter.fit(3, false) || fitter.near < LEAST_NEAR)
        continue;
      fitter.describe({ squares, counts });
    }
    const { variance } = points;
    for (let s = 0; s < points.scans.length; s++) {
      let all = 0;
      let of = 0;
      for (let k = s * INCIDENCES; k < (s + 1) * INCIDENCES; k++) {
        all += squares[k];
        of += counts[k];
      }
      if (of < 200) continue;
      for (let k = s * INCIDENCES; k < (s + 1) * INCIDENCES; k++)
        // Classes with few points lean on the scan as a whole.
        variance[k] = leastVariance(points.spacing) + (squares[k] + (50 * all) / of) / (counts[k] + 50);
    }
  }
}

/** What all threads that fit patches need. Each searches a grid of its own, built with its first batch. */
export interface PatchTask {
  points: PlainPoints;
  manner: PatchManner;
  searched?: MeasuredPoints;
}

/** Patches of some sites, packed: what a thread hands back. */
export interface FittedPatches {
  count: number;
  data: Float64Array;
  scans: Uint32Array;
}

/** Sites a task takes at a time. */
const BATCH = 4096;

/**
 * Fits a patch at every site, on all threads; sites that carry none, such as stray points, are left out. The result is the same for
 * any number of threads. O(sites · points of a fit).
 */
export async function fitPatches(
  points: MeasuredPoints,
  sites: Uint32Array,
  cell: number,
  manner: PatchManner,
  ctx: RunContext,
): Promise<SurfacePatches> {
  const batches: Uint32Array[] = [];
  for (let at = 0; at < sites.length; at += BATCH) batches.push(sites.slice(at, at + BATCH));
  const parts = await mapTask('fit-patches', fitPatchesTask, { points: withoutGrid(points), manner }, batches, ctx);
  const count = parts.reduce((n, p) => n + p.count, 0);
  const scanWords = wordsFor(points);
  const data = new Float64Array(PATCH * count);
  const scans = new Uint32Array(scanWords * count);
  const centres = new Float32Array(3 * count);
  let at = 0;
  for (const p of parts) {
    data.set(p.data, PATCH * at);
    scans.set(p.scans, scanWords * at);
    at += p.count;
  }
  for (let k = 0; k < count; k++) centres.set(data.subarray(PATCH * k, PATCH * k + 3), 3 * k);
  return { count, data, scans, scanWords, cell, grid: new PointGrid(centres, BLENDING * cell) };
}

const wordsFor = (points: MeasuredPoints): number => Math.max(1, Math.ceil(points.scans.length / 32));

/** The patches of one batch of sites. */
export function fitPatchesTask(task: PatchTask, sites: Uint32Array): FittedPatches {
  const points = (task.searched ??= withGrid(task.points));
  const fitter = new PatchFitter(points, task.manner);
  const scanWords = wordsFor(points);
  const data = new Float64Array(PATCH * sites.length);
  const scans = new Uint32Array(scanWords * sites.length);
  let count = 0;
  for (const site of sites) {
    if (!fitter.start(site) || !fitter.fit(2, true) || fitter.near < LEAST_NEAR) continue;
    if (!fitter.fit(Infinity, false) || !fitter.describe()) continue;
    storePatch(fitter, data, scans, scanWords, count++);
  }
  return { count, data: data.slice(0, PATCH * count), scans: scans.slice(0, scanWords * count) };
}

function storePatch(f: PatchFitter, data: Float64Array, scans: Uint32Array, scanWords: number, k: number): void {
  const at = PATCH * k;
  const { x, y, z, nx, ny, nz, ux, uy, uz, vx, vy, vz } = f.frame;
  data.set([x, y, z, nx, ny, nz, ux, uy, uz, vx, vy, vz], at);
  data.set(f.c, at + 12);
  data[at + SIGMA] = f.sigma;
  for (let s = 0; s < f.measuredBy.length; s++)
    if (f.measuredBy[s]) scans[scanWords * k + (s >> 5)] |= (1 << (s & 31)) >>> 0;
}

const MOST = 256;

/** Reads the blend of all patches around a place. */
export class PatchBlend {
  /** Distance to the blended surface along `n`, mm. */
  distance = 0;
  nx = 0;
  ny = 0;
  nz = 0;
  /** Expected error, one standard deviation, mm. */
  sigma = 0;
  /** The patch that counts most. */
  main = -1;
  private readonly ids = new Uint32Array(MOST);

  private readonly reach: number;

  constructor(private readonly patches: SurfacePatches) {
    this.reach = BLENDING * patches.cell;
  }

  /**
   * At (x, y, z), of the patches that face like (nx, ny, nz).
   * @returns false if there is none
   */
  at(x: number, y: number, z: number, nx: number, ny: number, nz: number): boolean {
    const { data, grid } = this.patches;
    const found = grid.within(x, y, z, this.reach, this.ids);
    const r2 = this.reach * this.reach;
    let sum = 0;
    let mx = 0;
    let my = 0;
    let mz = 0;
    let gx = 0;
    let gy = 0;
    let gz = 0;
    let sigma = 0;
    let most = 0;
    this.main = -1;
    for (let k = 0; k < found; k++) {
      const o = PATCH * this.ids[k];
      const dx = x - data[o];
      const dy = y - data[o + 1];
      const dz = z - data[o + 2];
      const d2 = dx * dx + dy * dy + dz * dz;
      const facing = data[o + 3] * nx + data[o + 4] * ny + data[o + 5] * nz;
      if (facing < 0.3) continue;
      const s = dx * data[o + 6] + dy * data[o + 7] + dz * data[o + 8];
      const t = dx * data[o + 9] + dy * data[o + 10] + dz * data[o + 11];
      const h = dx * data[o + 3] + dy * data[o + 4] + dz * data[o + 5];
      const slopeS = data[o + 13] + 2 * data[o + 15] * s + data[o + 16] * t;
      const slopeT = data[o + 14] + data[o + 16] * s + 2 * data[o + 17] * t;
      const l = 1 / Math.sqrt(1 + slopeS * slopeS + slopeT * slopeT);
      const off =
        (h -
          (data[o + 12] +
            data[o + 13] * s +
            data[o + 14] * t +
            data[o + 15] * s * s +
            data[o + 16] * s * t +
            data[o + 17] * t * t)) *
        l;
      const g = 1 - d2 / r2;
      const e = data[o + SIGMA];
      const w = (g * g * facing * facing) / (e * e + 1e-12);
      // Normal of the patch here, not at its centre.
      const px = (data[o + 3] - slopeS * data[o + 6] - slopeT * data[o + 9]) * l;
      const py = (data[o + 4] - slopeS * data[o + 7] - slopeT * data[o + 10]) * l;
      const pz = (data[o + 5] - slopeS * data[o + 8] - slopeT * data[o + 11]) * l;
      sum += w;
      mx += w * off * px;
      my += w * off * py;
      mz += w * off * pz;
      gx += w * px;
      gy += w * py;
      gz += w * pz;
      sigma += w * e;
      if (w > most) {
        most = w;
        this.main = this.ids[k];
      }
    }
    if (!(sum > 0)) return false;
    const l = Math.sqrt(gx * gx + gy * gy + gz * gz);
    if (!(l > 0)) return false;
    this.nx = gx / l;
    this.ny = gy / l;
    this.nz = gz / l;
    // The mean way to the patches, along the blended normal: sideways parts would shift vertices for nothing.
    this.distance = (mx * this.nx + my * this.ny + mz * this.nz) / sum;
    this.sigma = sigma / sum;
    return true;
  }
}
