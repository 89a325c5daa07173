import { parentPort, workerData } from 'node:worker_threads';
import { createRunContext, GeometryError } from '@amber-knit/core/runtime';
import { findOperation, runOperation } from '@amber-knit/operations';
import { spoiltFile } from './spoil.js';
import { wholeFiles } from './whole-files.js';

/** What the worker is given: the numbers it reads, `from`, `from + step`, … below `to`; where it says at which it is. */
export interface FuzzWork {
  from: number;
  to: number;
  step: number;
  /** Number of the file that is being read, and how many were refused in words. */
  at: Int32Array;
}

const { from, to, step, at } = workerData as FuzzWork;
const files = await wholeFiles();

for (let number = from; number < to; number += step) {
  Atomics.store(at, 0, number);
  const { name, bytes } = spoiltFile(files, number);
  // Every other one is brought in as a surface instead.
  const operation = findOperation(Math.floor(number / files.length) % 2 === 0 ? 'capture.import' : 'mend.bring-in');
  try {
    await runOperation(operation, { file: { name, mediaType: '', bytes } }, { unit: 'mm' }, createRunContext());
  } catch (error) {
    if (error instanceof GeometryError) Atomics.add(at, 1, 1);
    else parentPort!.postMessage({ number, name, error: error instanceof Error ? (error.stack ?? '') : String(error) });
  }
}
Atomics.store(at, 0, to);
