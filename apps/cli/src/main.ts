import { GeometryError } from '@amber-knit/core/runtime';
import { findOperation, OPERATIONS, paramFields, type Operation } from '@amber-knit/operations';
import { RECIPES, runGuided, type Recipe } from '@amber-knit/recipes';
import { ThreadPool } from '@amber-knit/threads';
import { parseRunArguments } from './arguments.js';
import { checkStored } from './check-stored.js';
import { describeScan, loadInputs, loadSurface } from './load-inputs.js';
import { ProgressReporter } from './progress.js';
import { compare, exportSurface, measure, place } from './surface-commands.js';
import { peakMemoryMb, runRecipe, writeResults } from './run-recipe.js';
import { night } from './night/night.js';
import { EXIT, InputError, UsageError } from './usage-error.js';

const USAGE = `Usage:
  amberknit run --in PATH... --out DIR [--recipe NAME|FILE.json] [--set operation.parameter=value ...]
                [--units mm|cm|m|in] [--viewpoint auto|origin|none] [--seed N] [--threads N] [--quiet]
                Scans in several folders: each folder is a setup, in which the object lay alike.
  amberknit guided --in PATH... --out DIR [--answer kind=vessel] [--answer finish=print] [--answer fineness=…]
                [--answer support=…] [--answer others=…] [--answer openings=…] [options of run]
                A finished model from plain answers; nobody is asked: the safe choice is taken, and told in report.json.
  amberknit night --in DAY --out DIR [--recipe NAME|FILE.json | --answer …] [--set …] [--units …] [--group REGEX]
                [--hands N] [--memory MB] [--again] [--watch] [--seed N] [--quiet]
                A model of each object of a folder: each folder in it is one; scan files beside them by what --group
                finds in their names. Summary in DIR/index.html and DIR/night.json; what is done is not done again.
  amberknit apply OPERATION... --in FILE --out DIR [--set …] [--units …] [--seed N] [--threads N] [--quiet]
                Operations that need only a surface (mend.all, mend.faults, mend.holes, mend.by-hand, mend.denoise,
                mend.reduce, mend.even, texture.bake, check.inspect) on a PLY, OBJ, STL, OFF, GLB or 3MF file.
  amberknit measure --in FILE --sheet SHEET.json --out DIR
                Dimensions of a sheet (docs/formats.md) on a surface; 1 if one can't be measured.
  amberknit compare --in FILE --reference FILE --out DIR [--set check.compare.tolerance=0.1 ...]
                How far a surface lies off a reference, place by place.
  amberknit place --in FILE --into FILE --placings FILE.json --out DIR [--set check.placings.ways=true]
                How much room a surface has in another one (docs/formats.md), where and how deep it clashes; 1 if it does.
  amberknit export --in FILE --out DIR [--set deliver.export.format=3mf ...]
                A surface in another format and unit, read back before it is kept.
  amberknit operations      every operation with its parameters, units, defaults and help
  amberknit info PATH...    what a file holds
  amberknit check [--repair]
                            whether what the server has stored is whole; mends what is safe to mend
Recipes: ${RECIPES.map((r) => `${r.name} (${r.title})`).join('; ')}
`;

async function run(argv: string[]): Promise<number> {
  const args = await parseRunArguments(argv);
  const { scans, notes } = await loadInputs(args.in, args);
  const progress = new ProgressReporter(process.stderr, args.quiet);
  notes.forEach((n) => progress.note(n));
  const result = await runRecipe({ scans }, args.recipe, args.set, args.seed, args.threads, progress);
  await writeResults(args.out, result, args, {
    recipe: args.recipe.name,
    seed: args.seed,
    inputs: scans.map((s) => s.name),
    notes,
  });
  const loose = result.data.placements?.filter((p) => p.state === 'loose') ?? [];
  if (loose.length > 0) process.stderr.write(`Loose: ${loose.map((p) => p.name).join(', ')}\n`);
  const doubtful = result.data.placements?.filter((p) => p.doubt) ?? [];
  if (doubtful.length > 0) process.stderr.write(`In doubt: ${doubtful.map((p) => p.name).join(', ')}\n`);
  return loose.length + doubtful.length > 0 ? EXIT.loose : EXIT.done;
}

/** A model from plain answers, with its verdict. */
async function guided(argv: string[]): Promise<number> {
  const args = await parseRunArguments(argv);
  const { answers, seed } = args;
  const { scans, notes } = await loadInputs(args.in, args);
  const progress = new ProgressReporter(process.stderr, args.quiet);
  notes.forEach((n) => progress.note(n));
  const pool = new ThreadPool(args.threads);
  const options = { seed, pool, listener: progress, set: args.set, peakMemoryMb };
  const result = await runGuided({ scans }, answers, options).finally(() => pool.close());
  const { verdict, stops } = result;
  const inputs = scans.map((s) => s.name);
  await writeResults(args.out, result, args, { recipe: 'guided', seed, inputs, notes, answers, stops, verdict });
  process.stdout.write(`${verdict.words}\n`);
  for (const p of verdict.points)
    process.stdout.write(`  ${p.label}: ${p.text}${p.grade === 'good' ? '' : ` (${p.grade})`}\n`);
  const unsure = result.data.placements?.some((p) => p.state === 'loose' || p.doubt);
  return unsure || verdict.grade === 'poor' ? EXIT.loose : EXIT.done;
}

/** Operations that need nothing but a surface, on one file. */
async function apply(argv: string[]): Promise<number> {
  const operations = argv.slice(
    0,
    argv.findIndex((w) => w.startsWith('--')),
  );
  if (operations.length === 0) throw new UsageError('apply needs an operation, such as mend.all.');
  const args = await parseRunArguments(argv.slice(operations.length));
  if (args.in.length !== 1) throw new UsageError('apply takes one file with --in.');
  const recipe: Recipe = { name: 'apply', title: 'Operations on a file', steps: [] };
  for (const id of operations) {
    const { needs } = operationNamed(id);
    if (needs.some((kind) => kind !== 'mesh'))
      throw new UsageError(`${id} needs ${needs.join(', ')}, not a surface alone. Use run.`);
    recipe.steps.push({ operation: id });
  }
  const { mesh, notes } = await loadSurface(args.in[0], args.units ?? 'mm');
  const progress = new ProgressReporter(process.stderr, args.quiet);
  notes.forEach((n) => progress.note(n));
  const result = await runRecipe({ mesh }, recipe, args.set, args.seed, args.threads, progress);
  await writeResults(args.out, result, args, { recipe: operations.join(' '), seed: args.seed, inputs: args.in, notes });
  return EXIT.done;
}

function operationNamed(id: string): Operation {
  try {
    return findOperation(id);
  } catch (e) {
    throw new UsageError((e as Error).message);
  }
}

function listOperations(): void {
  for (const o of OPERATIONS) {
    process.stdout.write(`${o.id}  ${o.title} (${o.stage})\n  ${o.help}\n`);
    for (const f of paramFields(o.params)) {
      const range = f.choices
        ? f.choices.map((c) => c.value).join('|')
        : f.min !== undefined
          ? `${f.min}–${f.max}`
          : f.kind;
      process.stdout.write(
        `    ${o.id}.${f.name}=${String(f.default)}  [${range}${f.unit ? ` ${f.unit}` : ''}]  ${f.title}: ${f.help}\n`,
      );
    }
  }
}

async function info(paths: string[]): Promise<number> {
  if (paths.length === 0) throw new UsageError('info needs at least one path.');
  let refused = 0;
  for (const path of paths) {
    try {
      const { scans, notes } = await loadInputs([path], { viewpoint: 'auto', units: 'mm' });
      for (const scan of scans)
        process.stdout.write(`${scan.name}: ${JSON.stringify({ ...describeScan(scan), faults: notes })}\n`);
    } catch (e) {
      if (!(e instanceof InputError)) throw e;
      process.stdout.write(`${e.input}: ${e.message}\n`);
      refused++;
    }
  }
  return refused > 0 ? EXIT.input : EXIT.done;
}

async function main(argv: string[]): Promise<number> {
  const [command, ...rest] = argv;
  try {
    if (command === 'run') return await run(rest);
    if (command === 'guided') return await guided(rest);
    if (command === 'night') return await night(rest, process.argv[1]);
    if (command === 'apply') return await apply(rest);
    if (command === 'measure') return await measure(rest);
    if (command === 'compare') return await compare(rest);
    if (command === 'place') return await place(rest);
    if (command === 'export') return await exportSurface(rest);
    if (command === 'operations') {
      listOperations();
      return EXIT.done;
    }
    if (command === 'check') return checkStored(rest);
    if (command === 'info') return await info(rest);
    throw new UsageError(command ? `There is no command "${command}".` : 'A command is missing.');
  } catch (e) {
    if (e instanceof UsageError) {
      process.stderr.write(`${e.message}\n\n${USAGE}`);
      return EXIT.usage;
    }
    if (e instanceof InputError) {
      process.stderr.write(`${e.input}: ${e.message}\n`);
      return EXIT.input;
    }
    if (e instanceof GeometryError) {
      process.stderr.write(`${e.message}\n`);
      return e.code === 'empty-input' || e.code === 'corrupt-file' ? EXIT.input : EXIT.failed;
    }
    process.stderr.write(`${e instanceof Error ? (e.stack ?? e.message) : String(e)}\n`);
    return EXIT.failed;
  }
}

process.exitCode = await main(process.argv.slice(2));
