import { spawn, type ChildProcess } from 'node:child_process';
import { createWriteStream } from 'node:fs';
import { mkdir, readFile, rename, writeFile } from 'node:fs/promises';
import { availableParallelism, freemem } from 'node:os';
import { join } from 'node:path';
import { finished } from 'node:stream/promises';
import type { GuideVerdict } from '@amber-knit/recipes';
import { EXIT } from '../usage-error.js';
import type { DayObject } from './find-objects.js';
import { nightPage } from './night-page.js';
import type { NightResult } from './night-result.js';

export interface NightOptions {
  out: string;
  /** Objects at a time. */
  hands: number;
  /** Threads of each; the results are the same with any number. */
  threads: number;
  /** What one object may take, MB. */
  memoryMb: number;
  /** Arguments of each object's own run, its inputs and output aside: the command first. */
  command: readonly string[];
  /** Does again what is done. */
  again: boolean;
  /** The program to run each object with. */
  program: string;
  told(line: string): void;
}

/** As many as there are cores and room for. */
export function usualHands(memoryMb: number, cores = availableParallelism(), free = freemem()): number {
  return Math.max(1, Math.min(cores, Math.floor(free / (memoryMb * 2 ** 20))));
}

/**
 * Makes a model of each object, several at once, each in a process of its own: one that fails, hangs on to memory or is killed ends
 * alone. What is finished, from the same files with the same arguments, is not done again. After each object the summary stands.
 * @returns results in the order of the objects
 */
export async function runNight(objects: readonly DayObject[], options: NightOptions): Promise<NightResult[]> {
  await mkdir(options.out, { recursive: true });
  const results: (NightResult | undefined)[] = await Promise.all(objects.map((o) => finishedBefore(o, options)));
  const before = results.filter((r) => r).length;
  if (before > 0) options.told(`${before} of ${objects.length} were done before.`);
  const children = new Set<ChildProcess>();
  // Whoever stops the night stops what it runs.
  const end = (): void => children.forEach((c) => c.kill());
  process.once('exit', end);
  let next = 0;
  let writing: Promise<void> = Promise.resolve();
  const summary = (): Promise<void> => (writing = writing.then(() => writeSummary(objects, results, options)));
  const hand = async (): Promise<void> => {
    for (let i = next++; i < objects.length; i = next++) {
      if (results[i]) continue;
      const result = await runObject(objects[i], options, children);
      results[i] = result;
      const at = results.filter((r) => r).length;
      const why = result.why ? `: ${result.why}` : '';
      options.told(`${at}/${objects.length} ${result.name}: ${result.state}${why} (${result.seconds.toFixed(0)} s)`);
      await summary();
    }
  };
  await summary();
  await Promise.all(Array.from({ length: options.hands }, hand));
  await writing;
  process.off('exit', end);
  return results as NightResult[];
}

const markOf = ({ mark }: DayObject, { command }: NightOptions): string => `${command.join(' ')}\n${mark}`;

async function finishedBefore(object: DayObject, options: NightOptions): Promise<NightResult | undefined> {
  if (options.again) return undefined;
  try {
    const result = JSON.parse(await readFile(join(options.out, object.name, 'night.json'), 'utf8')) as NightResult;
    return result.mark === markOf(object, options) && result.state !== 'failed' ? result : undefined;
  } catch {
    // Never finished, or cut off while it was noted: it is done now.
    return undefined;
  }
}

async function runObject(object: DayObject, options: NightOptions, children: Set<ChildProcess>): Promise<NightResult> {
  const { name, paths } = object;
  const dir = join(options.out, name);
  const started = Date.now();
  const result: NightResult = { name, state: 'failed', exit: -1, why: '', seconds: 0, mark: markOf(object, options) };
  try {
    await mkdir(dir, { recursive: true });
    const log = createWriteStream(join(dir, 'log.txt'));
    const [command, ...rest] = options.command;
    const memory = `--max-old-space-size=${options.memoryMb}`;
    const child = spawn(
      process.execPath,
      [
        memory,
        options.program,
        command,
        '--in',
        ...paths,
        '--out',
        dir,
        '--picture',
        '--threads',
        String(options.threads),
        ...rest,
      ],
      { stdio: ['ignore', 'pipe', 'pipe'] },
    );
    children.add(child);
    child.stdout.pipe(log, { end: false });
    child.stderr.pipe(log, { end: false });
    let last = '';
    child.stderr.on('data', (d: Buffer) => (last = lastLine(d.toString()) || last));
    result.exit = await new Promise<number>((resolve, reject) => {
      child.once('error', reject);
      child.once('close', (code, signal) => {
        if (signal) last = `its process was ended (${signal}), most likely for want of memory`;
        resolve(code ?? -1);
      });
    });
    children.delete(child);
    log.end();
    await finished(log);
    await judge(result, dir, last);
  } catch (e) {
    result.why = e instanceof Error ? e.message : String(e);
  }
  result.seconds = (Date.now() - started) / 1000;
  // A folder that vanished is no reason to end the night.
  await putWhole(join(dir, 'night.json'), JSON.stringify(result, undefined, 1)).catch(() => undefined);
  return result;
}

/** What its own report says of an object. */
async function judge(result: NightResult, dir: string, last: string): Promise<void> {
  if (result.exit !== EXIT.done && result.exit !== EXIT.loose) {
    result.why = last || `its run ended with ${result.exit}`;
    return;
  }
  const report = JSON.parse(await readFile(join(dir, 'report.json'), 'utf8')) as { verdict?: GuideVerdict };
  const { verdict } = report;
  result.verdict = verdict;
  result.state = result.exit === EXIT.done && (verdict?.grade ?? 'good') === 'good' ? 'sure' : 'look';
  if (result.state === 'look') result.why = verdict?.improve[0]?.text ?? last;
}

const lastLine = (text: string): string =>
  text
    .split('\n')
    .map((l) => l.trim())
    .filter(Boolean)
    .at(-1) ?? '';

async function writeSummary(
  objects: readonly DayObject[],
  results: readonly (NightResult | undefined)[],
  { out }: NightOptions,
): Promise<void> {
  const done = results.flatMap((r) => r ?? []);
  const left = objects.filter((_, i) => !results[i]).map((o) => o.name);
  const plain = done.map(({ mark: _, ...r }) => r);
  await putWhole(join(out, 'night.json'), JSON.stringify({ version: 1, objects: plain, left }, undefined, 1));
  await putWhole(join(out, 'index.html'), nightPage(done, left));
}

/** A file appears only when it is complete. */
async function putWhole(path: string, text: string): Promise<void> {
  await writeFile(`${path}.part`, text);
  await rename(`${path}.part`, path);
}
