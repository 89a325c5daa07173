import { Worker } from 'node:worker_threads';
import type { FuzzWork } from './fuzz-worker.js';

/** Two threads read at a time. */
const THREADS = 2;
/** One file may take so long, s. */
const LONGEST = 5;
/** Memory of the process with both threads, MB: what stands for a gigabyte of one that reads alone. */
const MOST_MEMORY = 1500;
const LOOK_EVERY = 250;

/**
 * Reads so many spoilt files of all kinds and prints what went wrong: an error that is not said in words, a file that took
 * longer than five seconds, a thread that died. The same numbers are always the same files.
 */
export async function fuzzReaders(count: number, first = 0): Promise<void> {
  const faults: string[] = [];
  const started = Date.now();
  let refused = 0;
  let most = 0;
  await Promise.all(
    Array.from({ length: THREADS }, async (_, t) => {
      // A thread that had to be ended goes on behind the file that ended it.
      for (let from = first + t; from < first + count;) {
        const work: FuzzWork = {
          from,
          to: first + count,
          step: THREADS,
          at: new Int32Array(new SharedArrayBuffer(8)),
        };
        const ended = await read(work, faults, (memory) => (most = Math.max(most, memory)));
        refused += Atomics.load(work.at, 1);
        if (ended === undefined) break;
        faults.push(`${Atomics.load(work.at, 0)}: ${ended}`);
        from = Atomics.load(work.at, 0) + THREADS;
      }
    }),
  );
  faults.forEach((f) => console.log(`  ${f}`));
  console.log(
    `${count} spoilt files from ${first} on: ${refused} refused in words, ${faults.length} faults, ${most.toFixed(0)} MB at most, ${((Date.now() - started) / 1000).toFixed(0)} s`,
  );
  if (faults.length > 0 || most > MOST_MEMORY) process.exitCode = 1;
}

/** @returns why the thread ended before its time, if it did */
async function read(work: FuzzWork, faults: string[], memory: (mb: number) => void): Promise<string | undefined> {
  const worker = new Worker(new URL('./fuzz-worker.js', import.meta.url), {
    workerData: work,
    resourceLimits: { maxOldGenerationSizeMb: 1024 },
  });
  let seen = -1;
  let since = Date.now();
  return new Promise((resolve) => {
    const watch = setInterval(() => {
      memory(process.memoryUsage().rss / 2 ** 20);
      const at = Atomics.load(work.at, 0);
      if (at !== seen) [seen, since] = [at, Date.now()];
      else if (Date.now() - since > 1000 * LONGEST) end(`took longer than ${LONGEST} s`);
    }, LOOK_EVERY);
    const end = (why: string | undefined): void => {
      clearInterval(watch);
      resolve(why);
      void worker.terminate();
    };
    worker.on('message', (fault: string) => faults.push(fault.split('\n').slice(0, 4).join(' | ')));
    worker.on('error', (error) => end(`the thread died: ${error.message}`));
    worker.on('exit', () => end(Atomics.load(work.at, 0) < work.to ? 'the thread ended before its time' : undefined));
  });
}
