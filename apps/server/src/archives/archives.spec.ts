import { createHash } from 'node:crypto';
import { strFromU8, strToU8, unzipSync, zipSync } from 'fflate';
import { Upload } from 'tus-js-client';
import { DataSource } from 'typeorm';
import type { PieceView, StepView } from '@amber-knit/contracts';
import { Harness } from '../../test/harness.js';
import type { ArchiveContent } from './archive-content.js';

/** Archives of pieces on the real application with a real database: out, and in again. */
let harness: Harness;
let other: Harness;
let stop: () => Promise<void>;
let stopOther: () => Promise<void>;
let piece: PieceView;
let archive: Uint8Array;

async function done(operationId: string, params: object, id: string): Promise<StepView> {
  const step = await harness.finished((await harness.enqueue(id, operationId, params)).id);
  expect([operationId, step.status, step.error]).toEqual([operationId, 'done', null]);
  return step;
}
const take = async (id: string): Promise<Uint8Array> =>
  new Uint8Array(
    (await harness.http().get(`/api/pieces/${id}/archive`).responseType('blob').expect(200)).body as Buffer,
  );

/** Sends an archive. @returns the piece that it became, or what was said against it */
const bringIn = (bytes: Uint8Array, to = harness): Promise<string> =>
  new Promise((resolve) => {
    new Upload(Buffer.from(bytes), {
      endpoint: `${to.base}/api/uploads`,
      metadata: { filename: 'piece.zip', archive: 'yes' },
      chunkSize: 500_000,
      retryDelays: [],
      onError: (e) => {
        const body = (e as { originalResponse?: { getBody(): string } }).originalResponse?.getBody() ?? '';
        resolve((JSON.parse(body) as { detail: string }).detail);
      },
      onSuccess: ({ lastResponse }) => resolve(lastResponse.getHeader('Amber-Piece') ?? 'nothing'),
    }).start();
  });
const ledger = async (id: string, of = harness): Promise<object[]> =>
  ((await of.http().get(`/api/pieces/${id}/steps`).expect(200)).body as StepView[]).map(
    ({ createdAt: _c, progressStage: _p, ...step }) => step,
  );
const bytesOf = async (artifact: string, of = harness): Promise<string> => {
  const { body } = await of.http().get(`/api/artifacts/${artifact}/data`).responseType('blob').expect(200);
  return createHash('sha256')
    .update(body as Buffer)
    .digest('hex');
};
const artifactsOf = ({ scanList, placements, mesh, dimensions, picture }: PieceView): string[] => [
  ...scanList.flatMap((s) => [s.cloud.id, s.original.id]),
  ...[placements, mesh, dimensions, picture].flatMap((a) => (a ? [a.id] : [])),
];

beforeAll(async () => {
  harness = await Harness.startOnOwnDatabase('amberknit_archives');
  other = await Harness.startOnOwnDatabase('amberknit_archives_other');
  ({ stop } = await harness.work());
  ({ stop: stopOther } = await other.work());
  const { id } = await harness.placedPair();
  await done('clean.strays', {}, id);
  await done('fuse.surface', { voxel: 2 }, id);
  await done('check.measure', { dimensions: [{ name: 'Note', note: 'x', kind: 'note', places: [[0, 0, 0]] }] }, id);
  const { outputs } = await done('deliver.export', { format: 'stl' }, id);
  // A name that no file may have outside.
  await harness.app
    .get(DataSource)
    .query(`UPDATE artifact SET facts = jsonb_set(facts, '{name}', '"../../of: \\\\two.stl"') WHERE id = $1`, [
      outputs[0],
    ]);
  await done('deliver.export', { format: 'ply' }, id);
  await done('mend.reduce', { triangles: 500 }, id);
  await harness.http().post(`/api/pieces/${id}/undo`).expect(200);
  piece = await harness.piece(id);
  archive = await take(id);
});
afterAll(async () => {
  await Promise.all([stop(), stopOther()]);
  await Promise.all([harness.app.close(), other.app.close()]);
});

test('an archive holds all bytes under their sums, delivered files by name, and words for whoever opens it', () => {
  const files = unzipSync(archive);
  const sums = strFromU8(files['checksums.sha256'])
    .trim()
    .split('\n')
    .map((line) => line.split('  '));
  expect(sums.map(([, path]) => path).sort()).toEqual(
    Object.keys(files)
      .filter((f) => f !== 'checksums.sha256')
      .sort(),
  );
  for (const [sum, path] of sums)
    expect([path, createHash('sha256').update(files[path]).digest('hex')]).toEqual([path, sum]);
  expect(strFromU8(files['README.txt'])).toMatch(/^Test piece\n[^]*2 scans, \d+ steps[^]*files\/.*\.ply/);
  expect(strFromU8(files['FORMATS.md'])).toMatch(/AKB1/);
  expect(Object.keys(files).filter((f) => f.startsWith('files/') && f.endsWith('.ply'))).toHaveLength(1);
  expect(Object.keys(files)).toContain('files/_.._of_ _two.stl');
  for (const name of Object.keys(files)) expect(name).toMatch(/^[^/\\]+$|^(files|data)\/[^/\\]+$/);
});

test('brought into another server it is the same: bytes, ledger, what was undone; and its steps give the same again', async () => {
  expect(await bringIn(archive, other)).toBe(piece.id);
  const { updatedAt: _a, ...there } = await other.piece(piece.id);
  const { updatedAt: _b, ...here } = piece;
  expect(there).toEqual(here);
  expect(await ledger(piece.id, other)).toEqual(await ledger(piece.id));
  for (const id of artifactsOf(piece)) expect(await bytesOf(id, other)).toBe(await bytesOf(id));
  expect(await other.violations()).toEqual([]);
  // What was undone can be redone there.
  await other.http().post(`/api/pieces/${piece.id}/redo`).expect(200);
  expect((await other.piece(piece.id)).triangles).toBeLessThan(600);
  await other.http().post(`/api/pieces/${piece.id}/undo`).expect(200);
  // The surface is made again from the same scans: the same bytes.
  const before = await bytesOf(piece.mesh!.id, other);
  const again = await other.finished((await other.enqueue(piece.id, 'fuse.surface', { voxel: 2 })).id);
  expect([again.status, await bytesOf(again.outputs[0], other)]).toEqual(['done', before]);
});

test('a piece that is here is not overwritten; removed for good it comes back from its archive', async () => {
  const steps = await ledger(piece.id);
  expect(await bringIn(archive)).toMatch(/"Test piece" is here already\. Remove it for good first/);
  await harness.http().delete(`/api/pieces/${piece.id}`).expect(204);
  expect(await bringIn(archive)).toMatch(/put away from the shelf/);
  await harness.http().delete(`/api/away/${piece.id}`).expect(200);
  expect(await bringIn(archive)).toBe(piece.id);
  expect(await ledger(piece.id)).toEqual(steps);
  expect(await harness.violations()).toEqual([]);
  // The same archive of it again.
  const [a, b] = [archive, await take(piece.id)].map(
    (z) => JSON.parse(strFromU8(unzipSync(z)['archive.json'])) as ArchiveContent,
  );
  expect({ ...b, artifacts: sorted(b.artifacts), states: sorted(b.states) }).toEqual({
    ...a,
    artifacts: sorted(a.artifacts),
    states: sorted(a.states),
  });
});
const sorted = <T extends { id: string }>(rows: T[]): T[] => [...rows].sort((x, y) => (x.id < y.id ? -1 : 1));

test('while a step runs there is no archive', async () => {
  const { id } = await harness.newPiece('Busy');
  await harness.app
    .get(DataSource)
    .query(
      `INSERT INTO step (piece_id, operation_id, operation_version, params, seed, status, after) VALUES ($1, 'mend.all', 1, '{}', 1, 'queued', '{00000000-0000-0000-0000-000000000000}')`,
      [id],
    );
  const refused = await harness.http().get(`/api/pieces/${id}/archive`).expect(409);
  expect(refused.body).toMatchObject({ detail: expect.stringMatching(/A step is running/) as string });
  await harness
    .http()
    .get(`/api/pieces/${'0'.repeat(8)}-0000-0000-0000-${'0'.repeat(12)}/archive`)
    .expect(404);
});

test('what is no archive, damaged, newer or hostile is refused by name, and nothing is stored', async () => {
  await harness.http().delete(`/api/pieces/${piece.id}`).expect(204);
  await harness.http().delete(`/api/away/${piece.id}`).expect(200);
  const files = unzipSync(archive);
  const changed = (change: (c: ArchiveContent) => void): Uint8Array => {
    const content = JSON.parse(strFromU8(files['archive.json'])) as ArchiveContent;
    change(content);
    return zipSync({ ...files, 'archive.json': strToU8(JSON.stringify(content)) }, { level: 0 });
  };
  const [data] = Object.keys(files).filter((f) => f.startsWith('data/'));
  const flipped = files[data].slice();
  flipped[flipped.length >> 1] ^= 1;
  const { [data]: _gone, ...without } = files;
  const cases: [string, Uint8Array, RegExp][] = [
    ['text', strToU8('no zip at all'), /no archive, or was cut off/],
    ['cut off', archive.slice(0, archive.length - 200), /no archive, or was cut off/],
    ['another zip', zipSync({ 'a.txt': strToU8('a') }), /no archive of a piece/],
    ['no list', zipSync({ 'archive.json': strToU8('{') }), /list of contents is not readable/],
    ['other list', zipSync({ 'archive.json': strToU8('[]') }), /no archive of a piece/],
    ['newer', changed((c) => (c.version = 99)), /newer version/],
    ['flipped bit', zipSync({ ...files, [data]: flipped }, { level: 0 }), /damaged at data\//],
    ['missing data', zipSync(without, { level: 0 }), /damaged at data\//],
    ['running step', changed((c) => (c.steps[0].status = 'queued' as never)), /status must be one of/],
    [
      'a page as a result',
      changed((c) => (c.artifacts[0].facts = { mediaType: 'text/html', name: 'a.html' })),
      /not facts/,
    ],
    ['an image without a name', changed((c) => (c.artifacts[0].facts = { mediaType: 'image/png' })), /not facts/],
    [
      'nothing behind a head',
      changed((c) => (c.states[0].heads.mesh = c.piece.id)),
      /a result that it names is not in it/,
    ],
    ['twice', changed((c) => c.scans.push(c.scans[0])), /in it twice/],
    ['a plan of its own', changed((c) => (c.piece.plan = { kind: 'ship' } as never)), /plan: kind must be one of/],
    ['another table', changed((c) => (c.piece.id = "x'; DROP TABLE piece; --")), /must be a UUID/],
  ];
  const count = async (): Promise<unknown> =>
    harness.app
      .get(DataSource)
      .query(
        'SELECT (SELECT count(*) FROM piece) AS p, (SELECT count(*) FROM blob) AS b, (SELECT count(*) FROM step) AS s',
      );
  const before = await count();
  for (const [name, bytes, words] of cases)
    expect([name, await bringIn(bytes)]).toEqual([name, expect.stringMatching(words) as string]);
  expect(await count()).toEqual(before);
  expect(await harness.violations()).toEqual([]);
  expect(await bringIn(archive)).toBe(piece.id);
});
