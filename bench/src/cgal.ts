import { spawnSync } from 'node:child_process';
import { existsSync, statSync } from 'node:fs';
import { join } from 'node:path';

/** Builds the program of the reference where it is missing or older than its source; nothing, with the reason said, where it can't be. */
export function buildCgal(): string | undefined {
  const program = join(import.meta.dirname, 'cgal-mend');
  const source = join(import.meta.dirname, '../reference/cgal_mend.cpp');
  if (existsSync(program) && statSync(program).mtimeMs > statSync(source).mtimeMs) return program;
  const built = spawnSync(
    'g++',
    ['-O3', '-DNDEBUG', '-I/usr/include/eigen3', '-o', program, source, '-lgmp', '-lmpfr'],
    {
      encoding: 'utf8',
    },
  );
  if (built.status === 0) return program;
  console.log('The reference was not built. Install it with: apt-get install libcgal-dev libeigen3-dev g++');
  return undefined;
}
