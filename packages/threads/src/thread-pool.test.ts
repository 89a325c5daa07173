import { createRunContext, mapTask, sharedCancelFlag } from '@amber-knit/core/runtime';
import { prepareScanTask } from '@amber-knit/core/registration';
import type { Scan } from '@amber-knit/core/geometry';
import { ThreadPool } from './thread-pool.js';

/** Threads run built code: raw TypeScript can't be a worker entry. */
const pool = new ThreadPool(2, new URL('../dist/thread.js', import.meta.url));
afterAll(() => pool.close());

/** A bumpy half ball seen from the origin. */
function scan(phase: number, points = 3000): Scan {
  const positions = new Float32Array(3 * points);
  for (let i = 0; i < points; i++) {
    const z = -(i + 0.5) / points;
    const phi = i * Math.PI * (3 - Math.sqrt(5));
    const r = Math.sqrt(1 - z * z) * 40 * (1 + 0.1 * Math.sin(3 * phi + phase));
    positions.set([r * Math.cos(phi), r * Math.sin(phi), 300 + 40 * z], 3 * i);
  }
  return { name: `scan ${phase}`, cloud: { positions }, viewpoints: [[0, 0, 0]] };
}

const scale = { coarse: 3, fine: 1.5 };
const jobs = [0, 1, 2, 3, 4].map((k) => ({ scan: scan(k), seed: k + 1 }));

test('threads give the same results as here, in the order of the items', async () => {
  const seen: number[] = [];
  const here = await mapTask('prepare-scan', prepareScanTask, scale, jobs, createRunContext());
  const ctx = createRunContext({ pool, onProgress: (f) => seen.push(f) });
  const there = await mapTask('prepare-scan', prepareScanTask, scale, jobs, ctx);
  expect(there.map((s) => s.name)).toEqual(jobs.map((j) => j.scan.name));
  there.forEach((s, i) => {
    expect(s.features).toEqual(here[i].features);
    expect(s.fine.positions).toEqual(here[i].fine.positions);
  });
  expect(seen[seen.length - 1]).toBe(1);
});

test('an error of a task arrives as itself, and the pool goes on working', async () => {
  const ctx = createRunContext();
  await expect(pool.map('no-such-task', {}, [1, 2], ctx)).rejects.toThrow('There is no task "no-such-task".');
  await expect(pool.map('prepare-scan', scale, jobs.slice(0, 2), ctx)).resolves.toHaveLength(2);
});

test('cancelling stops between items', async () => {
  const flag = sharedCancelFlag();
  Atomics.store(flag, 0, 1);
  await expect(pool.map('prepare-scan', scale, jobs, createRunContext({ cancelFlag: flag }))).rejects.toMatchObject({
    code: 'cancelled',
  });
});

test('a task asked for while another runs goes beside it, and its failure leaves the other alone', async () => {
  const ctx = createRunContext();
  const long = pool.map('prepare-scan', scale, jobs.slice(0, 2), ctx);
  const wrong = expect(pool.map('no-such-task', {}, [1], ctx)).rejects.toThrow('There is no task');
  const beside = pool.map('prepare-scan', scale, jobs.slice(2, 4), ctx) as Promise<Scan[]>;
  await wrong;
  expect(((await long) as Scan[]).map((s) => s.name)).toEqual(['scan 0', 'scan 1']);
  expect((await beside).map((s) => s.name)).toEqual(['scan 2', 'scan 3']);
});
