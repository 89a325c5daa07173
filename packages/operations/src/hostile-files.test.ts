import { createRunContext, GeometryError } from '@amber-knit/core/runtime';
import { hostileFiles, type HostileFile } from '../../core/test/hostile-files.js';
import { findOperation, runOperation } from './index.js';

/** Most time of the processor that any of them may take, in times what sorting a million numbers takes just now: what hangs takes far more. */
const LONGEST = 60;

/** Processor time that a piece of work takes, ms. */
function timeOf(work: () => void): number {
  const started = process.cpuUsage();
  work();
  const { user, system } = process.cpuUsage(started);
  return (user + system) / 1000;
}

/** What the machine does beside this slows both alike. */
const sorting = (): number => {
  const numbers = Float64Array.from({ length: 1_000_000 }, (_, i) => Math.sin(i));
  return timeOf(() => numbers.sort());
};

/** What becomes of a file: its points, or what was said against it. */
async function importing({ name, bytes }: HostileFile): Promise<{ points?: number; error?: unknown; ms: number }> {
  const started = process.cpuUsage();
  const used = (): number => {
    const { user, system } = process.cpuUsage(started);
    return (user + system) / 1000;
  };
  try {
    const file = { name, mediaType: '', bytes };
    const { figures } = await runOperation(findOperation('capture.import'), { file }, {}, createRunContext());
    return { points: figures.points as number, ms: used() };
  } catch (error) {
    return { error, ms: used() };
  }
}

test('no hostile file crashes or hangs the import: each gives points or a reason', async () => {
  const files = await hostileFiles();
  expect(files.length).toBeGreaterThanOrEqual(60);
  const bad: string[] = [];
  let refused = 0;
  const longest = LONGEST * Math.max(sorting(), sorting(), sorting());
  for (const file of files) {
    const { points, error, ms } = await importing(file);
    if (error !== undefined) refused++;
    if (error !== undefined && !(error instanceof GeometryError)) bad.push(`${file.name}: ${String(error)}`);
    if (error === undefined && !(points! >= 100)) bad.push(`${file.name}: ${points} points`);
    if (ms > longest) bad.push(`${file.name}: ${Math.round(ms)} ms`);
  }
  expect(bad).toEqual([]);
  // Turned bytes may leave a file readable; all others are refused.
  expect(refused).toBeGreaterThan(files.length - 26);
});
