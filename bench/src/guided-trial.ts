import { performance } from 'node:perf_hooks';
import type { Scan } from '@amber-knit/core/geometry';
import { boundsOf } from '@amber-knit/core/geometry';
import { invertRigid, multiply, transformPoints, type Vec3 } from '@amber-knit/core/math';
import { inspectTopology } from '@amber-knit/core/mesh';
import { simulateSingleViews } from '@amber-knit/demo';
import { FINISHES, firstGuideAnswers } from '@amber-knit/planning';
import { runGuided } from '@amber-knit/recipes';
import { ThreadPool } from '@amber-knit/threads';
import { benchObject, type BenchObjectName } from './objects.js';
import { poseErrors } from './registration-trial.js';
import { surfaceError, surfaceTruth } from './surface-truth.js';

const VIEWS = 12;
const POINTS = 40_000;
const NOISE = 0.1;
/** From here on a place is wrong, and a surface is not what it is called. */
const WRONG_TURN_DEG = 1;
const WRONG_SHIFT = 1;
const WRONG_RMS = 3 * NOISE;

/**
 * Guided runs of simulated views, nothing answered but what it is for: is each verdict true? Tables are in view in every other setup,
 * poses unknown. What is wrong and called good is marked.
 */
export async function guidedTrial(names: readonly BenchObjectName[], seeds: readonly number[]): Promise<void> {
  const pool = new ThreadPool(2);
  let [runs, finished, wrongCalledGood] = [0, 0, 0];
  for (const name of names) {
    for (const finish of FINISHES.filter((f) => f !== 'reverse')) {
      for (const seed of seeds) {
        runs++;
        const object = benchObject(name);
        const views = simulateSingleViews(object.mesh, object.color, {
          views: VIEWS,
          points: POINTS,
          noise: NOISE,
          seed,
        });
        const scans: Scan[] = views.map((v) => ({ name: v.name, cloud: v.cloud, viewpoints: [[0, 0, 0]] }));
        const started = performance.now();
        const title = `${name} ${finish} seed ${seed}`.padEnd(28);
        try {
          const answers = { ...firstGuideAnswers(null), finish };
          const { data, verdict, stops } = await runGuided({ scans }, answers, { seed: 1, pool });
          finished++;
          const seconds = (performance.now() - started) / 1000;
          const placements = data.placements!;
          const truth = views.map((v) => v.objectFromSensor);
          const used = placements.map((p) => p.state === 'registered' || p.state === 'placed');
          const anchor = placements.findIndex((p) => p.state === 'registered');
          const { min, max } = boundsOf(object.mesh.positions);
          const middle = min.map((v, k) => (v + max[k]) / 2) as Vec3;
          const poses = placements.map((p, i) => (used[i] ? p.pieceFromScan : undefined));
          const errors = poseErrors(poses, truth, anchor < 0 ? used.indexOf(true) : anchor, middle);
          const misplaced = errors.each.filter(
            (e) => e && (e.angleDeg > WRONG_TURN_DEG || e.shift > WRONG_SHIFT),
          ).length;
          const at = anchor < 0 ? used.indexOf(true) : anchor;
          const objectFromPiece = multiply(truth[at], invertRigid(placements[at].pieceFromScan));
          const mesh = { ...data.mesh!, positions: transformPoints(objectFromPiece, data.mesh!.positions) };
          const clouds = views.map((v) => transformPoints(v.objectFromSensor, v.cloud.positions));
          const error = surfaceError(mesh, surfaceTruth(object.mesh, clouds, 1), 1);
          const wrong = misplaced > 0 || error.rms > WRONG_RMS || !inspectTopology(mesh).watertight;
          const lie = wrong && verdict.grade === 'good';
          if (lie) wrongCalledGood++;
          console.log(
            `${title} ${verdict.grade.padEnd(5)} ${seconds.toFixed(0)} s  misplaced ${misplaced} of ${errors.registered}  RMS ${error.rms.toFixed(3)}  closed ${inspectTopology(mesh).watertight}  stops: ${stops.map((s) => s.title).join(' ') || 'none'}${lie ? '  WRONG AND CALLED GOOD' : ''}`,
          );
        } catch (e) {
          console.log(`${title} refused: ${e instanceof Error ? e.message : String(e)}`);
        }
      }
    }
  }
  console.log(`${finished} of ${runs} runs came to a verdict; ${wrongCalledGood} wrong and called good`);
  await pool.close();
}
