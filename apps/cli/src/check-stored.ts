import { spawnSync } from 'node:child_process';
import { existsSync, readFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import { UsageError } from './usage-error.js';

/**
 * `amberknit check [--repair]`: whether what the server has stored is whole. The server's own program does it; here is only
 * found where the database is.
 * @returns its exit code: 0 if nothing is wrong, 1 if something is and stays so
 * @throws UsageError if there is no database to look at
 */
export function checkStored(args: readonly string[]): number {
  const unknown = args.find((a) => a !== '--repair');
  if (unknown) throw new UsageError(`"${unknown}" is no option of check (known: --repair).`);
  const file = `${process.env.DATA_DIR ?? '.data'}/database-url`;
  const url = process.env.DATABASE_URL ?? (existsSync(file) ? readFileSync(file, 'utf8').trim() : undefined);
  if (!url) {
    throw new UsageError(
      'There is no database to check: run this in the folder where ./start was run, while it runs, or set DATABASE_URL.',
    );
  }
  const program = fileURLToPath(new URL('../../server/dist/check/main.js', import.meta.url));
  const { status } = spawnSync(process.execPath, [program, ...args], {
    stdio: 'inherit',
    env: { ...process.env, DATABASE_URL: url },
  });
  return status ?? 1;
}
