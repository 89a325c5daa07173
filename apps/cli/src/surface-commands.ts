import { mkdir, readFile, writeFile } from 'node:fs/promises';
import { basename, join } from 'node:path';
import { plainSheet, type DimensionSheet } from '@amber-knit/core/dimensions';
import { writePly } from '@amber-knit/core/io';
import { plainPlacings } from '@amber-knit/core/placing';
import { describeFigures, findOperation, OPERATION_IDS, placingText, type WorkData } from '@amber-knit/operations';
import { measuredText } from '@amber-knit/operations/quantity-text';
import { parseRunArguments, type RunArguments } from './arguments.js';
import { loadSurface, readInput } from './load-inputs.js';
import { ProgressReporter } from './progress.js';
import { runRecipe } from './run-recipe.js';
import { EXIT, InputError, UsageError } from './usage-error.js';

/** Takes one option with its value out of a command line. */
function takeOption(argv: string[], name: string): { value: string | undefined; rest: string[] } {
  const at = argv.indexOf(`--${name}`);
  if (at < 0) return { value: undefined, rest: argv };
  const value = argv[at + 1];
  if (value === undefined || value.startsWith('--')) throw new UsageError(`--${name} needs a value.`);
  return { value, rest: [...argv.slice(0, at), ...argv.slice(at + 2)] };
}

/** Runs one operation on the surface of a file, with further data it takes. */
async function onSurface(
  args: RunArguments,
  operation: string,
  more: Partial<WorkData>,
  set: Record<string, unknown> = {},
): Promise<Partial<WorkData>> {
  if (args.in.length !== 1) throw new UsageError(`${operation} takes one file with --in.`);
  const { mesh, notes } = await loadSurface(args.in[0], args.units ?? 'mm');
  const progress = new ProgressReporter(process.stderr, args.quiet);
  notes.forEach((n) => progress.note(n));
  const recipe = { name: operation, title: operation, steps: [{ operation, set }] };
  const { data, steps } = await runRecipe({ mesh, ...more }, recipe, args.set, args.seed, args.threads, progress);
  await mkdir(args.out, { recursive: true });
  await writeFile(
    join(args.out, 'report.json'),
    JSON.stringify({ version: 1, units: 'mm', inputs: args.in, steps }, undefined, 1),
  );
  const { figures } = steps[0];
  if (operation !== OPERATION_IDS.checkMeasure)
    for (const f of describeFigures(findOperation(operation).figures, figures))
      process.stdout.write(`${f.label}: ${f.text}${f.verdict ? ` (${f.verdict.word})` : ''}\n`);
  return data;
}

/** `measure`: the dimensions of a sheet (docs/formats.md) on the surface of a file. */
export async function measure(argv: string[]): Promise<number> {
  const { value: path, rest } = takeOption(argv, 'sheet');
  if (!path) throw new UsageError('measure needs --sheet: a JSON file of dimensions.');
  const args = await parseRunArguments(rest);
  const { dimensions } = await onSurface(args, OPERATION_IDS.checkMeasure, {}, { dimensions: await readSheet(path) });
  await writeFile(join(args.out, 'dimensions.json'), JSON.stringify(plainSheet(dimensions!), undefined, 1));
  for (const [i, { name }] of dimensions!.asked.entries()) {
    const { values, fault } = dimensions!.found[i];
    process.stdout.write(`${name}: ${fault ?? values.map((v) => `${v.label} ${measuredText(v)}`).join(', ')}\n`);
  }
  return dimensions!.found.some((f) => f.fault) ? EXIT.failed : EXIT.done;
}

async function readSheet(path: string): Promise<DimensionSheet['asked']> {
  return (await readList(path, 'dimensions')) as DimensionSheet['asked'];
}

/** A list `asked` of a JSON file, or the list that it is. */
async function readList(path: string, of: string): Promise<unknown[]> {
  let sheet: unknown;
  try {
    sheet = JSON.parse(await readFile(path, 'utf8'));
  } catch (e) {
    throw new InputError(path, `the sheet can't be read: ${(e as Error).message}`);
  }
  const asked = Array.isArray(sheet) ? sheet : (sheet as { asked?: unknown } | null)?.asked;
  if (!Array.isArray(asked)) throw new InputError(path, `holds no list "asked" of ${of}.`);
  return asked;
}

/** `compare`: the surface of a file against that of another. */
export async function compare(argv: string[]): Promise<number> {
  const { value: reference, rest } = takeOption(argv, 'reference');
  if (!reference) throw new UsageError('compare needs --reference: a file with a surface.');
  const args = await parseRunArguments(rest);
  const file = { name: basename(reference), mediaType: '', bytes: await readInput(reference) };
  const { mesh, deviation } = await onSurface(args, OPERATION_IDS.checkCompare, { file });
  const ply = writePly({
    positions: mesh!.positions,
    indices: mesh!.indices,
    extra: { deviation: deviation!.values },
    comments: ['unit mm', `deviation: from ${file.name}, mm, positive outwards; nan where nothing is near`],
  });
  await writeFile(join(args.out, 'deviation.ply'), ply);
  return EXIT.done;
}

/** `place`: the surface of a file in that of another, placing by placing (docs/formats.md). */
export async function place(argv: string[]): Promise<number> {
  const { value: path, rest } = takeOption(argv, 'into');
  const { value: list, rest: others } = takeOption(rest, 'placings');
  if (!path || !list)
    throw new UsageError('place needs --into: a file with the surface of the place, and --placings: a JSON file.');
  const args = await parseRunArguments(others);
  const { mesh, notes } = await loadSurface(path, args.units ?? 'mm');
  notes.forEach((n) => process.stderr.write(`${basename(path)}: ${n}\n`));
  const surroundings = { name: basename(path), mesh };
  const asked = { placings: await readList(list, 'placings') };
  const { placings } = await onSurface(args, OPERATION_IDS.checkPlacings, { surroundings }, asked);
  await writeFile(join(args.out, 'placings.json'), JSON.stringify(plainPlacings(placings!), undefined, 1));
  for (const [i, { name }] of placings!.asked.entries())
    process.stdout.write(`${name}: ${placingText(placings!.found[i])}\n`);
  return placings!.found.every((f) => f.state === 'clear' || f.state === 'touching') ? EXIT.done : EXIT.failed;
}

/** `export`: the surface of a file in another format. */
export async function exportSurface(argv: string[]): Promise<number> {
  const args = await parseRunArguments(argv);
  const { file } = await onSurface(args, OPERATION_IDS.deliverExport, {});
  await writeFile(join(args.out, file!.name), file!.bytes);
  return EXIT.done;
}
