import { execFileSync } from 'node:child_process';
import { mkdtempSync, statSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Harness } from '../../test/harness.js';
import { openDatabase } from '../database/data-source.js';
import { BlobStore } from './blob-store.js';

/** A process of its own, because the largest file that it may write is limited: the system then writes a part, as on a full disk. */
const WRITE = `
  const [url, sha, path] = process.argv.slice(1);
  const { openDatabase } = await import('./apps/server/dist/database/data-source.js');
  const { BlobStore } = await import('./apps/server/dist/storage/blob-store.js');
  const db = await openDatabase(url);
  await new BlobStore(db).copyTo(sha, path).then(() => console.log('written'), (e) => console.log(e.code));
  await db.destroy();`;

test('a file that finds no room is told, never cut off in silence', async () => {
  const url = await Harness.newDatabase('amberknit_short');
  const db = await openDatabase(url);
  const sha = await new BlobStore(db).put(new Uint8Array(3_000_000).fill(7));
  const copy = (kilobytes: string, name: string): string => {
    const path = join(mkdtempSync(join(tmpdir(), 'amber-short-')), name);
    const limited = `ulimit -f ${kilobytes}; exec "$0" --input-type=module -e "$1" "$2" "$3" "$4"`;
    const said = execFileSync('bash', ['-c', limited, process.execPath, WRITE, url, sha, path], { encoding: 'utf8' });
    return `${said.trim()} ${statSync(path).size}`;
  };
  expect(copy('unlimited', 'whole')).toBe('written 3000000');
  expect(copy('2500', 'cut')).toMatch(/^EFBIG /);
  await db.destroy();
});
