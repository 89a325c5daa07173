import { availableParallelism } from 'node:os';
import { parseArgs } from 'node:util';
import { parseRunArguments } from '../arguments.js';
import { EXIT, UsageError } from '../usage-error.js';
import { findObjects, type DayObject } from './find-objects.js';
import type { NightResult } from './night-result.js';
import { runNight, usualHands } from './run-night.js';

/** Files that somebody may still be writing are left until they have been still for as long. */
const STILL_MS = 20_000;
const WATCH_MS = 10_000;

/**
 * `night`: a model of each object of a day's folder.
 * @returns 0 if all are done and sure, 1 if one failed, 4 if a person must look at one
 */
export async function night(argv: string[], program: string): Promise<number> {
  const { values } = parse(argv);
  if (!values.in) throw new UsageError('night needs --in: the folder of the day.');
  if (!values.out) throw new UsageError('night needs --out: a folder for the results.');
  if (values.recipe && values.answer.length > 0)
    throw new UsageError('night takes --recipe or --answer: a guided run chooses its recipe by itself.');
  const whole = (text: string | undefined, usual: number, name: string, least: number): number => {
    const n = text === undefined ? usual : Number(text);
    if (!Number.isInteger(n) || n < least) throw new UsageError(`--${name} must be a whole number from ${least}.`);
    return n;
  };
  const memoryMb = whole(values.memory, 3000, 'memory', 256);
  const hands = whole(values.hands, usualHands(memoryMb), 'hands', 1);
  const threads = Math.max(1, Math.floor(availableParallelism() / hands));
  const each = (name: string, list: readonly string[]): string[] => list.flatMap((v) => [`--${name}`, v]);
  const command = [
    values.recipe ? 'run' : 'guided',
    ...(values.recipe ? ['--recipe', values.recipe] : []),
    ...each('answer', values.answer),
    ...each('set', values.set),
    ...(values.units ? ['--units', values.units] : []),
    '--seed',
    values.seed,
  ];
  // What is wrong with them is told now, not once for each object.
  await parseRunArguments([...command.slice(1), '--in', values.in, '--out', values.out]);
  const rule = values.group === undefined ? undefined : ruleOf(values.group);
  const told = (line: string): void => void (values.quiet || process.stderr.write(`${line}\n`));
  const options = { out: values.out, hands, threads, memoryMb, command, program, told };
  const round = async (objects: DayObject[], again: boolean): Promise<NightResult[]> => {
    told(`${objects.length} objects, ${hands} at a time.`);
    return runNight(objects, { ...options, again });
  };
  const all = await findObjects(values.in, rule);
  if (all.length === 0 && !values.watch) throw new UsageError(`${values.in} holds neither folders nor scan files.`);
  const results = await round(all, values.again);
  if (values.watch) await watch(() => findObjects(values.in!, rule), round);
  for (const r of results.filter((x) => x.state !== 'sure')) process.stdout.write(`${r.name}: ${r.state}: ${r.why}\n`);
  if (results.some((r) => r.state === 'failed')) return EXIT.failed;
  return results.some((r) => r.state === 'look') ? EXIT.loose : EXIT.done;
}

/** Looks for objects that came or changed, for ever; what failed is not tried again until its files change. */
async function watch(
  find: () => Promise<DayObject[]>,
  round: (objects: DayObject[], again: boolean) => Promise<NightResult[]>,
): Promise<never> {
  let tried = new Set((await find()).map((o) => o.mark));
  for (;;) {
    await new Promise((r) => setTimeout(r, WATCH_MS));
    // A folder that is away for a moment is looked for again.
    const objects = await find().catch(() => []);
    const still = objects.filter((o) => Date.now() - o.newest > STILL_MS);
    if (still.every((o) => tried.has(o.mark))) continue;
    tried = new Set([...tried, ...still.map((o) => o.mark)]);
    await round(still, false);
  }
}

function ruleOf(text: string): RegExp {
  try {
    return new RegExp(text);
  } catch (e) {
    throw new UsageError(`--group is no regular expression: ${(e as Error).message}`);
  }
}

function parse(argv: string[]) {
  try {
    return parseArgs({
      args: argv,
      strict: true,
      options: {
        in: { type: 'string' },
        out: { type: 'string' },
        recipe: { type: 'string' },
        answer: { type: 'string', multiple: true, default: [] },
        set: { type: 'string', multiple: true, default: [] },
        group: { type: 'string' },
        units: { type: 'string' },
        seed: { type: 'string', default: '1' },
        hands: { type: 'string' },
        memory: { type: 'string' },
        again: { type: 'boolean', default: false },
        watch: { type: 'boolean', default: false },
        quiet: { type: 'boolean', default: false },
      },
    });
  } catch (e) {
    throw new UsageError((e as Error).message);
  }
}
