import { readFile } from 'node:fs/promises';
import { availableParallelism } from 'node:os';
import { parseArgs } from 'node:util';
import { findOperation, paramFields, parseParams, parseParamText, UNITS, type Unit } from '@amber-knit/operations';
import { parseRecipe, RECIPES, type Recipe } from '@amber-knit/recipes';
import { firstGuideAnswers, GUIDE_QUESTIONS, type GuideAnswers, type GuideQuestion } from '@amber-knit/planning';
import { GeometryError } from '@amber-knit/core/runtime';
import { UsageError } from './usage-error.js';

export interface RunArguments {
  in: string[];
  out: string;
  recipe: Recipe;
  set: Map<string, Record<string, unknown>>;
  units?: Unit;
  viewpoint: 'auto' | 'origin' | 'none';
  seed: number;
  threads: number;
  quiet: boolean;
  /** A picture of the surface is wanted. */
  picture: boolean;
  /** Answers of a guided run; what is not given is unknown. */
  answers: GuideAnswers;
}

/** Reads the options of `run`. @throws UsageError */
export async function parseRunArguments(argv: string[]): Promise<RunArguments> {
  // --in takes every following word up to the next option.
  const inputs: string[] = [];
  const rest: string[] = [];
  for (let i = 0; i < argv.length; i++) {
    if (argv[i] !== '--in') {
      rest.push(argv[i]);
      continue;
    }
    while (i + 1 < argv.length && !argv[i + 1].startsWith('--')) inputs.push(argv[++i]);
  }
  let values;
  try {
    ({ values } = parseArgs({
      args: rest,
      options: {
        out: { type: 'string' },
        recipe: { type: 'string', default: 'standard' },
        set: { type: 'string', multiple: true, default: [] },
        units: { type: 'string' },
        viewpoint: { type: 'string', default: 'auto' },
        seed: { type: 'string', default: '1' },
        threads: { type: 'string', default: String(availableParallelism()) },
        quiet: { type: 'boolean', default: false },
        picture: { type: 'boolean', default: false },
        answer: { type: 'string', multiple: true, default: [] },
      },
      strict: true,
    }));
  } catch (e) {
    throw new UsageError((e as Error).message);
  }
  if (inputs.length === 0) throw new UsageError('--in needs at least one file or folder.');
  if (!values.out) throw new UsageError('--out needs a folder.');
  if (values.units !== undefined && !(values.units in UNITS))
    throw new UsageError(`--units must be one of ${Object.keys(UNITS).join(', ')}.`);
  if (!['auto', 'origin', 'none'].includes(values.viewpoint))
    throw new UsageError('--viewpoint must be origin, none or auto.');
  const seed = Number(values.seed);
  const threads = Number(values.threads);
  if (!Number.isInteger(seed) || seed < 0) throw new UsageError('--seed must be a whole number, 0 or more.');
  if (!Number.isInteger(threads) || threads < 1 || threads > 64)
    throw new UsageError('--threads must be a whole number from 1 to 64.');
  return {
    in: inputs,
    out: values.out,
    recipe: await findRecipe(values.recipe),
    set: parseSettings(values.set),
    units: values.units as Unit | undefined,
    viewpoint: values.viewpoint as RunArguments['viewpoint'],
    seed,
    threads,
    quiet: values.quiet,
    answers: parseAnswers(values.answer),
    picture: values.picture,
  };
}

async function findRecipe(name: string): Promise<Recipe> {
  const known = RECIPES.find((r) => r.name === name);
  if (known) return known;
  if (!name.endsWith('.json'))
    throw new UsageError(
      `There is no recipe "${name}". Known: ${RECIPES.map((r) => r.name).join(', ')}; or name a .json file.`,
    );
  try {
    return parseRecipe(JSON.parse(await readFile(name, 'utf8')));
  } catch (e) {
    throw new UsageError(`The recipe ${name} can't be read: ${(e as Error).message}`);
  }
}

/** `operation.id.parameter=value` → values by operation. */
export function parseSettings(list: string[]): Map<string, Record<string, unknown>> {
  const out = new Map<string, Record<string, unknown>>();
  for (const text of list) {
    const match = /^([a-z]+\.[a-z-]+)\.([A-Za-z]+)=(.*)$/.exec(text);
    if (!match)
      throw new UsageError(`--set ${text}: expected operation.parameter=value, such as fuse.surface.voxel=0.5.`);
    const [, id, name, value] = match;
    try {
      const fields = paramFields(findOperation(id).params);
      out.set(id, { ...out.get(id), [name]: parseParamText(fields, name, value) });
    } catch (e) {
      if (e instanceof GeometryError) throw new UsageError(`--set ${text}: ${e.message}`);
      throw e;
    }
  }
  out.forEach((values, id) => checkSettings(id, values));
  return out;
}

function checkSettings(id: string, values: object): void {
  try {
    parseParams(findOperation(id).params, values);
  } catch (e) {
    if (e instanceof GeometryError) throw new UsageError(e.message);
    throw e;
  }
}

/** `question=answer` → answers. @throws UsageError */
function parseAnswers(list: readonly string[]): GuideAnswers {
  const answers = firstGuideAnswers(null);
  for (const text of list) {
    const [question, answer] = text.split('=') as [GuideQuestion, string | undefined];
    const known: readonly string[] | undefined = GUIDE_QUESTIONS[question];
    if (!known)
      throw new UsageError(`There is no question "${question}". Known: ${Object.keys(GUIDE_QUESTIONS).join(', ')}.`);
    if (!answer || !known.includes(answer)) throw new UsageError(`--answer ${question} is one of ${known.join(', ')}.`);
    Object.assign(answers, { [question]: answer });
  }
  return answers;
}
