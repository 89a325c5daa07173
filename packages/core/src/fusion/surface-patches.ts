import { scanWordsFor } from '../geometry/vertex-knowledge.js';
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
import { PATCH_MANNER, PatchFitter, type PatchManner } from './patch-fitter.js';

/** Numbers per patch: centre 3, normal 3, u 3, v 3, coefficients 6, then its standard deviation. */
export const PATCH = 19;
/** Standard deviation of the height at the centre, mm. */
export const SIGMA = 18;

/** What is known of each patch: the share of the points near by that lie on it, … */
export const EXPLAINED = 0;
/** … the cosine of the squarest view of these, how far that sensor stood away, and their spread, mm. */
export const SQUAREST = 1;
export const RANGE = 2;
export const RESIDUAL = 3;
/** … and which scan had that view. */
export const SQUAREST_SCAN = 4;
export const PATCH_FACTS = 5;

/** A patch blends with those around it over so many distances between them. */
export const BLENDING = 1.75;

/** Places a patch needs within two and a half spacings; a stray point has none or one. */
const LEAST_NEAR = 5;

/** What a patch says beyond an edge that bounds it counts so much: only where nothing else says anything. */
export const BEYOND = 1e-6;

/** Quadratic patches on the measured surface, one about every `cell` mm. */
export interface SurfacePatches {
  count: number;
  /** `PATCH` numbers each. */
  data: Float64Array;
  /** Which scans took part, `scanWords` words of bits each. */
  scans: Uint32Array;
  scanWords: number;
  /** `PATCH_FACTS` numbers each. */
  facts: Float32Array;
  cell: number;
  /** Over the centres. */
  grid: PointGrid;
  /** Where edges are kept: the patches across them that bound each patch. */
  partners?: PatchPartners;
}

/** Most patches across edges that bound one patch: three faces meet in most corners. */
export const PARTNERS = 3;

/** Patches across edges, `PARTNERS` each, -1 for none; beyond the line where the two meet a patch says nothing. */
export interface PatchPartners {
  of: Int32Array;
  /** 1 where the two meet in a ridge, -1 in a valley. */
  bend: Int8Array;
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
    const fitter = new PatchFitter(points, { ...PATCH_MANNER, agreement: 2, outlying: round === 0 ? 6 : 4 });
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
  facts: Float32Array;
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
  return joinPatches(parts, wordsFor(points), cell);
}

/** One set of patches of several. */
export function joinPatches(parts: readonly FittedPatches[], scanWords: number, cell: number): SurfacePatches {
  const count = parts.reduce((n, p) => n + p.count, 0);
  const data = new Float64Array(PATCH * count);
  const scans = new Uint32Array(scanWords * count);
  const facts = new Float32Array(PATCH_FACTS * count);
  const centres = new Float32Array(3 * count);
  let at = 0;
  for (const p of parts) {
    data.set(p.data, PATCH * at);
    scans.set(p.scans, scanWords * at);
    facts.set(p.facts, PATCH_FACTS * at);
    at += p.count;
  }
  for (let k = 0; k < count; k++) centres.set(data.subarray(PATCH * k, PATCH * k + 3), 3 * k);
  return { count, data, scans, facts, scanWords, cell, grid: new PointGrid(centres, BLENDING * cell) };
}

/** Words of bits that name the scans of a patch. */
export const wordsFor = (points: MeasuredPoints): number => scanWordsFor(points.scans.length);

/** The patches of one batch of sites. */
export function fitPatchesTask(task: PatchTask, sites: Uint32Array): FittedPatches {
  const points = (task.searched ??= withGrid(task.points));
  const fitter = new PatchFitter(points, task.manner);
  const list = new PatchList(wordsFor(points), sites.length);
  for (const site of sites) {
    if (!fitter.start(site) || !fitter.fit(2, true) || fitter.near < LEAST_NEAR) continue;
    if (!fitter.fit(Infinity, false) || !fitter.describe()) continue;
    list.add(fitter);
  }
  return list.done();
}

/** Patches as they come, for at most so many. */
export class PatchList {
  count = 0;
  /** `PATCH` numbers each. */
  readonly data: Float64Array;
  private readonly scans: Uint32Array;
  private readonly facts: Float32Array;

  constructor(
    private readonly scanWords: number,
    most: number,
  ) {
    this.data = new Float64Array(PATCH * most);
    this.scans = new Uint32Array(scanWords * most);
    this.facts = new Float32Array(PATCH_FACTS * most);
  }

  add(f: PatchFitter): void {
    const k = this.count++;
    const at = PATCH * k;
    const { x, y, z, nx, ny, nz, ux, uy, uz, vx, vy, vz } = f.frame;
    this.data.set([x, y, z, nx, ny, nz, ux, uy, uz, vx, vy, vz], at);
    this.data.set(f.c, at + 12);
    this.data[at + SIGMA] = f.sigma;
    this.facts.set([f.explained, f.squarest, f.range, f.residual, f.squarestScan], PATCH_FACTS * k);
    this.scans.fill(0, this.scanWords * k, this.scanWords * (k + 1));
    for (let s = 0; s < f.measuredBy.length; s++)
      if (f.measuredBy[s]) this.scans[this.scanWords * k + (s >> 5)] |= (1 << (s & 31)) >>> 0;
  }

  /** Forgets all but the first so many. */
  cutBack(count: number): void {
    this.count = count;
  }

  done(): FittedPatches {
    const { count } = this;
    return {
      count,
      data: this.data.slice(0, PATCH * count),
      scans: this.scans.slice(0, this.scanWords * count),
      facts: this.facts.slice(0, PATCH_FACTS * count),
    };
  }
}

/** How many scans measured a patch. */
export function scanCountOf({ scans, scanWords }: SurfacePatches, patch: number): number {
  let count = 0;
  for (let k = 0; k < scanWords; k++)
    for (let bits = scans[scanWords * patch + k]; bits !== 0; bits &= bits - 1) count++;
  return count;
}

/** Distance of a place to a patch, mm, positive on the side it faces; along its plane's normal, made right for its slope there. */
export function distanceToPatch(data: Float64Array, patch: number, x: number, y: number, z: number): number {
  const o = PATCH * patch;
  const dx = x - data[o];
  const dy = y - data[o + 1];
  const dz = z - data[o + 2];
  const s = dx * data[o + 6] + dy * data[o + 7] + dz * data[o + 8];
  const t = dx * data[o + 9] + dy * data[o + 10] + dz * data[o + 11];
  const h = dx * data[o + 3] + dy * data[o + 4] + dz * data[o + 5];
  const slopeS = data[o + 13] + 2 * data[o + 15] * s + data[o + 16] * t;
  const slopeT = data[o + 14] + data[o + 16] * s + 2 * data[o + 17] * t;
  const rise =
    data[o + 12] +
    data[o + 13] * s +
    data[o + 14] * t +
    data[o + 15] * s * s +
    data[o + 16] * s * t +
    data[o + 17] * t * t;
  return (h - rise) / Math.sqrt(1 + slopeS * slopeS + slopeT * slopeT);
}

/** Has a place at this distance to a patch passed the line where the patch meets one across an edge? */
export function isBeyondEdge(
  { data, partners }: SurfacePatches,
  patch: number,
  distance: number,
  x: number,
  y: number,
  z: number,
): boolean {
  if (!partners) return false;
  const { of, bend } = partners;
  for (let k = PARTNERS * patch; k < PARTNERS * (patch + 1); k++) {
    if (of[k] < 0) return false;
    const across = distanceToPatch(data, of[k], x, y, z);
    if (bend[k] > 0 ? distance < across : distance > across) return true;
  }
  return false;
}
