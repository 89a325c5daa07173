import { performance } from 'node:perf_hooks';

/** Work that is the same on every machine: 20 million square roots. Times are given as multiples of it. */
export function yardstick(): number {
  let sum = 0;
  for (let i = 1; i <= 20_000_000; i++) sum += Math.sqrt(i);
  return sum;
}

/** The shortest of some runs, ms. */
export function best(times: number, run: () => unknown): number {
  let least = Infinity;
  for (let k = 0; k < times; k++) {
    const t = performance.now();
    run();
    least = Math.min(least, performance.now() - t);
  }
  return least;
}
