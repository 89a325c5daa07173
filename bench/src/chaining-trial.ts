import type { Placement, Scan } from '@amber-knit/core/geometry';
import {
  createRandom,
  fromTranslation,
  fromTwist,
  gaussian,
  invertRigid,
  multiply,
  transformPoint,
  transformPoints,
  type Mat4,
} from '@amber-knit/core/math';
import { prepareScan, refineJointly, refinePlacements, suggestScale } from '@amber-knit/core/registration';
import { createRunContext } from '@amber-knit/core/runtime';
import { PointGrid } from '@amber-knit/core/spatial';
import { simulateSingleViews } from '@amber-knit/demo';
import { benchObject, type BenchObjectName } from './objects.js';
import { cleanViews } from './registration-trial.js';

const VIEWS = 24;
const OBJECTS: BenchObjectName[] = ['jug', 'bunny', 'dragon'];
/** How far the scans are put off their true places, mm and radians. */
const OFF = { shift: 0.5, turn: 0.008 };
/** Points of a scan that are within this of another count as their overlap, mm; pairs with fewer than a share are left out. */
const NEAR = 1.5;
const LEAST_SHARE = 0.1;

/**
 * What fitting all scans together is worth: views of 0.1 mm noise, a little off their true places, are fitted together,
 * and in a chain, each to the one before it that it shares most with, by the same method. Printed is the relative placement
 * error: how far the points that two scans share are moved against each other, RMS over all pairs that overlap. Wanted: at
 * most 0.03 mm together, and at least twice as good as in the chain.
 */
export async function chainingTrial(seeds: number): Promise<void> {
  for (const name of OBJECTS) {
    const sums = { together: 0, chain: 0, worst: 0, ratio: Infinity };
    for (let seed = 1; seed <= seeds; seed++) {
      const { together, chain } = await trial(name, seed);
      sums.together += together / seeds;
      sums.chain += chain / seeds;
      sums.worst = Math.max(sums.worst, together);
      sums.ratio = Math.min(sums.ratio, chain / together);
    }
    console.log(
      `${name}, ${seeds} seeds: together ${sums.together.toFixed(4)} mm on average, worst ${sums.worst.toFixed(4)}; in a chain ` +
        `${sums.chain.toFixed(4)} mm; ${(sums.chain / sums.together).toFixed(2)} times as good, at least ${sums.ratio.toFixed(2)}`,
    );
  }
}

async function trial(name: BenchObjectName, seed: number): Promise<{ together: number; chain: number }> {
  const object = benchObject(name);
  const views = simulateSingleViews(object.mesh, object.color, { seed, views: VIEWS, setups: 2, points: 60_000 });
  const truth = views.map((v) => v.objectFromSensor);
  const scans = cleanViews(views);
  const random = createRandom(500 + seed);
  const off = (): number => OFF.turn * gaussian(random);
  const start = truth.map((pose) => {
    const shift = [0, 1, 2].map(() => OFF.shift * gaussian(random)) as [number, number, number];
    return multiply(multiply(fromTranslation(...shift), fromTwist(off(), off(), off(), 0, 0, 0)), pose);
  });
  const shared = overlaps(scans, truth);
  const placements = start.map((pieceFromScan, i): Placement => ({
    name: scans[i].name,
    state: 'placed',
    pieceFromScan,
  }));
  const ctx = createRunContext({ seed: 3 });
  const fitted = await refinePlacements(scans, placements, {}, ctx);
  const together = relativeError(
    fitted.placements.map((p) => p.pieceFromScan),
    truth,
    shared,
  );
  return { together, chain: relativeError(inChain(scans, start, shared), truth, shared) };
}

interface Overlap {
  a: number;
  b: number;
  /** Points of `a` that `b` has as well, in the frame of `a`, 3n. */
  points: Float32Array;
  share: number;
}

function overlaps(scans: Scan[], truth: readonly Mat4[]): Overlap[] {
  const placed = scans.map((s, i) => transformPoints(truth[i], s.cloud.positions));
  const grids = placed.map((p) => new PointGrid(p, NEAR));
  return scans.flatMap(({ cloud: { positions } }, a) =>
    scans.flatMap((_, b): Overlap[] => {
      if (a === b) return [];
      const points: number[] = [];
      // Every tenth point is enough.
      for (let i = 0; i < positions.length; i += 30) {
        if (grids[b].nearest(placed[a][i], placed[a][i + 1], placed[a][i + 2], NEAR) < 0) continue;
        points.push(...positions.subarray(i, i + 3));
      }
      const share = (10 * points.length) / positions.length;
      return share >= LEAST_SHARE ? [{ a, b, points: Float32Array.from(points), share }] : [];
    }),
  );
}

/** Movement of shared points against each other, beside the truth, RMS over all pairs, mm. */
function relativeError(found: readonly Mat4[], truth: readonly Mat4[], shared: readonly Overlap[]): number {
  let sum = 0;
  let count = 0;
  for (const { a, b, points } of shared) {
    const bFromA = multiply(invertRigid(found[b]), found[a]);
    const slip = multiply(multiply(invertRigid(truth[a]), truth[b]), bFromA);
    for (let i = 0; i < points.length; i += 3) {
      const [x, y, z] = transformPoint(slip, points[i], points[i + 1], points[i + 2]);
      sum += (x - points[i]) ** 2 + (y - points[i + 1]) ** 2 + (z - points[i + 2]) ** 2;
      count++;
    }
  }
  return Math.sqrt(sum / count);
}

/** Each scan fitted to the one that it shares most with of those before it, and to no other (the tree of R. Prim 1957). */
function inChain(scans: Scan[], start: readonly Mat4[], shared: readonly Overlap[]): Mat4[] {
  const ctx = createRunContext({ seed: 3 });
  const scale = suggestScale(scans);
  const prepared = scans.map((s, i) => prepareScan(s, scale, 1 + i, ctx));
  const noise = prepared.map((p) => p.noise).sort((a, b) => a - b)[prepared.length >> 1];
  const endDistance = 1.5 * scale.fine;
  const poses = start.slice();
  const done = new Set([0]);
  while (done.size < scans.length) {
    const next = shared
      .filter(({ a, b }) => done.has(b) && !done.has(a))
      .reduce((best, o) => (o.share > best.share ? o : best), { share: 0, a: -1, b: -1, points: new Float32Array() });
    if (next.a < 0) throw new Error('The scans do not hang together.');
    const pair = [next.b, next.a].map((i) => prepared[i]);
    const { pieceFromScan } = refineJointly(
      pair.map((p) => ({ cloud: p.fine, grid: p.fineGrid, sample: p.fitOrder, trust: p.trust })),
      [poses[next.b], poses[next.a]],
      [0],
      {
        startDistance: Math.max(0.7 * scale.coarse, endDistance),
        endDistance,
        endTukey: Math.max(4.685 * noise, 0.15 * scale.fine),
      },
      ctx,
    );
    poses[next.a] = pieceFromScan[1];
    done.add(next.a);
  }
  return poses;
}
