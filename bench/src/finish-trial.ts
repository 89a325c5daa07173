import { performance } from 'node:perf_hooks';
import { createRandom, invertRigid, multiply } from '@amber-knit/core/math';
import { createRunContext } from '@amber-knit/core/runtime';
import { encodeCapture, encodeFrames } from '@amber-knit/core/stored';
import { captureFrame, UPRIGHT } from '@amber-knit/demo';
import { findOperation, runOperation } from '@amber-knit/operations';
import { ThreadPool } from '@amber-knit/threads';
import { camera, heldPose, jugOnTable } from './hand-held.js';

/** Times finishing a capture of so many frames, with and without refining, and says when each part of it began. */
export async function finishTrial(frames: number): Promise<void> {
  const bytes = roundOfTheJug(frames);
  const pool = new ThreadPool(2);
  try {
    for (const refine of [false, true]) {
      const begun = performance.now();
      const since = (): string => ((performance.now() - begun) / 1000).toFixed(1);
      let stage = '';
      const ctx = createRunContext({
        pool,
        onProgress: (_, s) => {
          if (s !== stage) console.log(`    ${since()} s  ${s}`);
          stage = s;
        },
      });
      const { figures } = await runOperation(
        findOperation('capture.live'),
        { file: { name: 'Round', mediaType: 'application/octet-stream', bytes } },
        { refine },
        ctx,
      );
      console.log(`  ${frames} frames, ${refine ? 'refined' : 'as tracked'}: ${since()} s, ${figures.points} points`);
    }
  } finally {
    await pool.close();
  }
}

/** A capture of one round of the jug on its table, with colours, as the hand-held sensor sends it. */
function roundOfTheJug(frames: number): Uint8Array {
  const { scene } = jugOnTable(UPRIGHT);
  const random = createRandom(1);
  let scanFromWorld;
  const parts = [];
  for (let k = 0; k < frames; k++) {
    const around = (2 * Math.PI * k * 1.03) / frames;
    const pose = heldPose(around, ((24 + 12 * Math.sin(2 * around)) * Math.PI) / 180, 1, random);
    scanFromWorld ??= invertRigid(pose);
    const frame = captureFrame(scene, pose, camera, random, `frame ${k}`);
    parts.push(encodeFrames([{ ...frame, scanFromSensor: multiply(scanFromWorld, pose) }]));
  }
  return encodeCapture(parts, { setup: 'Upright' });
}
