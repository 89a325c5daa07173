import { parentPort, workerData } from 'node:worker_threads';
import { readSpoilt } from './read-spoilt.js';
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
  try {
    if ((await readSpoilt(files, number)) === 'refused') Atomics.add(at, 1, 1);
  } catch (error) {
    const { message, cause } = error as Error;
    parentPort!.postMessage(`${message}: ${cause instanceof Error ? cause.stack : String(cause)}`);
  }
}
Atomics.store(at, 0, to);
