import { spawnSync } from 'node:child_process';
import { mkdtempSync, readFileSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { Harness } from '../../test/harness.js';

const SCRIPT = fileURLToPath(new URL('../../../../scripts/store.mjs', import.meta.url));
const store = (verb: string, file: string, url: string): { status: number | null; said: string } => {
  const { status, stdout, stderr } = spawnSync(process.execPath, [SCRIPT, verb, file], {
    env: { ...process.env, DATABASE_URL: url, NODE_OPTIONS: '' },
    encoding: 'utf8',
  });
  return { status, said: stdout + stderr };
};

test('everything is kept in a file while the server works, and comes back whole in an empty database', async () => {
  const source = await Harness.startOnOwnDatabase('amberknit_kept');
  const file = join(mkdtempSync(join(tmpdir(), 'amber-backup-')), 'all.backup');
  const { stop } = await source.work();
  const piece = await source.placedPair();
  const fused = await source.enqueue(piece.id, 'fuse.surface', { voxel: 3 });
  await source.finished(fused.id);
  const whole = await source.piece(piece.id);
  expect(store('backup', file, source.databaseUrl)).toMatchObject({
    status: 0,
    said: expect.stringMatching(/1 pieces/) as string,
  });
  expect(store('backup', file, source.databaseUrl).said).toMatch('is there already');
  await stop();

  const url = await Harness.newDatabase('amberknit_back');
  expect(store('restore', file, url)).toMatchObject({
    status: 0,
    said: expect.stringMatching(/Nothing is wrong.*1 pieces are back/s) as string,
  });
  const restored = await Harness.start(url);
  expect(await restored.violations()).toEqual([]);
  expect(await restored.piece(piece.id)).toEqual(whole);
  const bytes = async (h: Harness): Promise<Buffer> =>
    (await h.http().get(`/api/artifacts/${whole.mesh!.id}/data`).responseType('blob').expect(200)).body as Buffer;
  expect((await bytes(restored)).equals(await bytes(source))).toBe(true);
  // It goes on there: a step can be run again.
  const { stop: stopRestored } = await restored.work();
  const again = await restored.enqueue(piece.id, 'fuse.surface', { voxel: 4 });
  await restored.finished(again.id);
  expect((await restored.step(again.id)).status).toBe('done');
  await stopRestored();

  // Nothing is written over, and a damaged file changes nothing.
  expect(store('restore', file, url)).toMatchObject({
    status: 1,
    said: expect.stringMatching('1 pieces here already') as string,
  });
  const damaged = `${file}.cut`;
  writeFileSync(damaged, readFileSync(file).subarray(0, 5000));
  const empty = await Harness.newDatabase('amberknit_damaged');
  expect(store('restore', damaged, empty).status).toBe(1);
  expect(store('restore', `${file}.none`, empty).said).toMatch('There is no file');
  await source.app.close();
  await restored.app.close();
});
