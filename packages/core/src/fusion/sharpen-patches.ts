import { mapTask } from '../runtime/map-task.js';
import type { RunContext } from '../runtime/run-context.js';
import { PointGrid } from '../spatial/point-grid.js';
import {
  INCIDENCES,
  incidenceClass,
  withGrid,
  withoutGrid,
  type MeasuredPoints,
  type PlainPoints,
} from './measured-points.js';
import { FLATTEST, NEAR, PatchFitter, type PatchManner } from './patch-fitter.js';
import {
  EXPLAINED,
  distanceToPatch,
  joinPatches,
  PARTNERS,
  PATCH,
  PATCH_FACTS,
  PatchList,
  wordsFor,
  type FittedPatches,
  type PatchPartners,
  type SurfacePatches,
} from './surface-patches.js';

/** A patch on which fewer of the points near by lie straddles an edge, or something finer than it can show. */
const STRADDLING = 0.93;
/** One that bends by more than this, in radians a grain, rounds an edge that is finer than its points tell. */
const BENT = 0.25;
/** Faces that are gone on with bend by less: what bends more may be a part of the rounding. */
const FLAT_ENOUGH = 0.12;
/** What is fitted where a face goes on still faces as the face did, within 12 degrees. */
const SAME_WAY = Math.cos((12 * Math.PI) / 180);
/** A patch from which others go on is nowhere near an edge. */
const WHOLE = 0.97;
/** Faces are gone on with from so many cells away. */
const REACH = 3;
/** Faces that meet at a place differ by more than 15 degrees. */
const SAME_FACE = Math.cos((15 * Math.PI) / 180);
/** An edge turns by more than 25 degrees. */
const EDGE = Math.cos((25 * Math.PI) / 180);
/** Faces looked at beside one patch. */
const FACES = 4;
/** Points near by that carry a face, at least. */
const LEAST_ON = 5;
/** Share of the points near by that lie on one of the faces, at least. */
const EXPLAINED_TOGETHER = 0.8;
/** And no more than this less than on the patch that they stand in for. */
const ALIKE = 0.05;
/** The centre of a patch across an edge lies so many cells at most behind that edge. */
const BEYOND_REACH = 1.5;

/** Room for a search, of one thread. */
const IDS = new Uint32Array(8192);
const SQUARED = new Float32Array(8192);

/** What all threads that sharpen patches need. */
export interface SharpenTask {
  points: PlainPoints;
  manner: PatchManner;
  data: Float64Array;
  facts: Float32Array;
  cell: number;
  searched?: { points: MeasuredPoints; grid: PointGrid };
}

/** The faces that stand in for straddling patches, and for each patch asked whether some do. */
export interface SharpenedPatches extends FittedPatches {
  replaced: Uint8Array;
}

const BATCH = 1024;

/**
 * Where a patch straddles an edge, the faces beside it go on up to the edge instead: each is fitted to those points alone that
 * lie on its continuation, and bounded by the other. Places that no faces explain better, such as fillets
 * and fine detail, stay as they are.
 *
 * Source: Y. Ohtake, A. Belyaev, M. Alexa, G. Turk, H.-P. Seidel (2003), Multi-level partition of unity implicits (edges and
 * corners as the larger or smaller of several quadrics); that faces grow towards the edge instead of being parted by
 * their normals is our own.
 * O(straddling patches · points of a fit).
 * @param reach how far around its centre a patch is asked, mm
 */
export async function sharpenPatches(
  points: MeasuredPoints,
  patches: SurfacePatches,
  manner: PatchManner,
  reach: number,
  ctx: RunContext,
): Promise<SurfacePatches> {
  const { data, facts, cell, scanWords, scans } = patches;
  const straddling = Uint32Array.from({ length: patches.count }, (_, k) => k).filter(
    (k) => facts[PATCH_FACTS * k + EXPLAINED] < STRADDLING || bendOf(data, k) * points.grain > BENT,
  );
  const batches: Uint32Array[] = [];
  for (let at = 0; at < straddling.length; at += BATCH) batches.push(straddling.slice(at, at + BATCH));
  const task: SharpenTask = { points: withoutGrid(points), manner, data, facts, cell };
  const parts = await mapTask('sharpen-patches', sharpenPatchesTask, task, batches, ctx);
  const gone = new Uint8Array(patches.count);
  parts.forEach((p, b) => p.replaced.forEach((r, i) => (gone[batches[b][i]] = r)));
  const kept = Uint32Array.from({ length: patches.count }, (_, k) => k).filter((k) => !gone[k]);
  const rest: FittedPatches = {
    count: kept.length,
    data: new Float64Array(PATCH * kept.length),
    scans: new Uint32Array(scanWords * kept.length),
    facts: new Float32Array(PATCH_FACTS * kept.length),
  };
  kept.forEach((k, i) => {
    rest.data.set(data.subarray(PATCH * k, PATCH * (k + 1)), PATCH * i);
    rest.facts.set(facts.subarray(PATCH_FACTS * k, PATCH_FACTS * (k + 1)), PATCH_FACTS * i);
    rest.scans.set(scans.subarray(scanWords * k, scanWords * (k + 1)), scanWords * i);
  });
  const sharp = joinPatches([rest, ...parts], scanWords, cell);
  return { ...sharp, partners: findPartners(sharp, kept.length, reach + BEYOND_REACH * cell) };
}

/** The faces that stand in for one batch of straddling patches. */
export function sharpenPatchesTask(task: SharpenTask, batch: Uint32Array): SharpenedPatches {
  const { data, facts, cell } = task;
  task.searched ??= { points: withGrid(task.points), grid: new PointGrid(centresOf(data), REACH * cell) };
  const { points, grid } = task.searched;
  const fitter = new PatchFitter(points, task.manner);
  const list = new PatchList(wordsFor(points), FACES * batch.length);
  const replaced = new Uint8Array(batch.length);
  batch.forEach((k, at) => {
    const before = list.count;
    for (const face of facesBeside(k, data, facts, cell, FLAT_ENOUGH / points.grain, grid))
      if (goOnFrom(fitter, data, face, k) && fitter.explained * fitter.near >= LEAST_ON) {
        list.add(fitter);
        if (bendOf(list.data, list.count - 1) * points.grain > BENT) list.cutBack(list.count - 1);
      }
    const enough = Math.max(EXPLAINED_TOGETHER, facts[PATCH_FACTS * k + EXPLAINED] - ALIKE);
    if (list.count > before && shareOnAny(points, data, k, list, before, task.manner.outlying) >= enough)
      replaced[at] = 1;
    else list.cutBack(before);
  });
  return { ...list.done(), replaced };
}

/** The whole patches next to a straddling one, one of each face. */
function facesBeside(
  k: number,
  data: Float64Array,
  facts: Float32Array,
  cell: number,
  bent: number,
  grid: PointGrid,
): number[] {
  const [x, y, z] = data.subarray(PATCH * k, PATCH * k + 3);
  const found = grid.within(x, y, z, REACH * cell, IDS, SQUARED);
  const near = Array.from({ length: found }, (_, i) => i).sort((a, b) => SQUARED[a] - SQUARED[b] || IDS[a] - IDS[b]);
  const faces: number[] = [];
  for (const i of near) {
    const c = IDS[i];
    if (facts[PATCH_FACTS * c + EXPLAINED] < WHOLE || bendOf(data, c) > bent || facing(data, c, k) < 0.1) continue;
    // Another wall behind this one is no face of it.
    if (Math.abs(distanceToPatch(data, c, x, y, z)) > cell) continue;
    if (faces.some((f) => facing(data, f, c) > SAME_FACE)) continue;
    faces.push(c);
    if (faces.length === FACES) break;
  }
  return faces;
}

/** Fits anew where the continuation of a face passes a straddling patch. @returns false if no points lie there */
function goOnFrom(fitter: PatchFitter, data: Float64Array, face: number, k: number): boolean {
  const o = PATCH * face;
  const [x, y, z] = data.subarray(PATCH * k, PATCH * k + 3);
  const dx = x - data[o];
  const dy = y - data[o + 1];
  const dz = z - data[o + 2];
  const s = dx * data[o + 6] + dy * data[o + 7] + dz * data[o + 8];
  const t = dx * data[o + 9] + dy * data[o + 10] + dz * data[o + 11];
  const slopeS = data[o + 13] + 2 * data[o + 15] * s + data[o + 16] * t;
  const slopeT = data[o + 14] + data[o + 16] * s + 2 * data[o + 17] * t;
  const n = [0, 1, 2].map((i) => data[o + 3 + i] - slopeS * data[o + 6 + i] - slopeT * data[o + 9 + i]);
  const l = Math.hypot(n[0], n[1], n[2]);
  const d = distanceToPatch(data, face, x, y, z) / l;
  fitter.frame.moveTo(x - d * n[0], y - d * n[1], z - d * n[2]);
  fitter.frame.turnTo(n[0], n[1], n[2]);
  if (!fitter.fit(2, true, true) || !fitter.fit(Infinity, false, true) || !fitter.describe()) return false;
  const { nx, ny, nz } = fitter.frame;
  return nx * n[0] + ny * n[1] + nz * n[2] > SAME_WAY * l;
}

/** Share of the points next to a patch, facing it, that lie on any of those in a list from `first` on. */
function shareOnAny(
  { positions: p, towardsSensor: q, scan, variance, grain, grid }: MeasuredPoints,
  data: Float64Array,
  k: number,
  list: PatchList,
  first: number,
  outlying: number,
): number {
  const o = PATCH * k;
  const found = grid.within(data[o], data[o + 1], data[o + 2], NEAR * grain, IDS);
  let all = 0;
  let on = 0;
  for (let i = 0; i < found; i++) {
    const j = 3 * IDS[i];
    const c = data[o + 3] * q[j] + data[o + 4] * q[j + 1] + data[o + 5] * q[j + 2];
    if (c < FLATTEST) continue;
    all++;
    const limit = outlying * Math.sqrt(variance[scan[IDS[i]] * INCIDENCES + incidenceClass(c)]);
    for (let f = first; f < list.count; f++) {
      if (Math.abs(distanceToPatch(list.data, f, p[j], p[j + 1], p[j + 2])) >= limit) continue;
      on++;
      break;
    }
  }
  return all > 0 ? on / all : 0;
}

/**
 * The patches across edges that bound each patch, nearest first, one of each face. Edges are only looked for where at least one of the
 * two is a face that went on up to an edge, from `firstSharp` on. O(patches · patches near by).
 */
function findPartners({ data, count, grid }: SurfacePatches, firstSharp: number, reach: number): PatchPartners {
  const of = new Int32Array(PARTNERS * count).fill(-1);
  const bend = new Int8Array(PARTNERS * count);
  if (firstSharp === count) return { of, bend };
  for (let k = 0; k < count; k++) {
    const o = PATCH * k;
    const found = grid.within(data[o], data[o + 1], data[o + 2], reach, IDS, SQUARED);
    const across: number[] = [];
    for (let i = 0; i < found; i++)
      if ((k >= firstSharp || IDS[i] >= firstSharp) && facing(data, k, IDS[i]) < EDGE) across.push(i);
    across.sort((a, b) => SQUARED[a] - SQUARED[b] || IDS[a] - IDS[b]);
    let n = 0;
    for (const i of across) {
      const j = IDS[i];
      let known = false;
      for (let m = 0; m < n; m++) if (facing(data, of[PARTNERS * k + m], j) > EDGE) known = true;
      if (known) continue;
      of[PARTNERS * k + n] = j;
      let opening = 0;
      for (let a = 0; a < 3; a++)
        opening += (data[PATCH * j + a] - data[o + a]) * (data[PATCH * j + 3 + a] - data[o + 3 + a]);
      bend[PARTNERS * k + n] = opening > 0 ? 1 : -1;
      if (++n === PARTNERS) break;
    }
  }
  return { of, bend };
}

/** The stronger of a patch's two curvatures at its centre, 1/mm. */
function bendOf(data: Float64Array, k: number): number {
  const [a, b, c] = data.subarray(PATCH * k + 15, PATCH * k + 18);
  return Math.abs(a + c) + Math.sqrt((a - c) * (a - c) + b * b);
}

/** Cosine between the normals of two patches. */
const facing = (data: Float64Array, a: number, b: number): number =>
  data[PATCH * a + 3] * data[PATCH * b + 3] +
  data[PATCH * a + 4] * data[PATCH * b + 4] +
  data[PATCH * a + 5] * data[PATCH * b + 5];

function centresOf(data: Float64Array): Float32Array {
  const out = new Float32Array((3 * data.length) / PATCH);
  for (let k = 0; PATCH * k < data.length; k++) out.set(data.subarray(PATCH * k, PATCH * k + 3), 3 * k);
  return out;
}
