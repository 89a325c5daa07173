import { readdirSync } from 'node:fs';
import { DataSource } from 'typeorm';
import type { PieceView } from '@amber-knit/contracts';
import { Harness, scanFile } from '../../test/harness.js';

/** Uploads that go wrong at their end, with a database of their own and no worker. */
let harness: Harness;
let db: DataSource;
let piece: PieceView;
/** Bytes that were never stored before. */
const fresh = (() => {
  let points = 3000;
  return (): Buffer => Buffer.from(scanFile(points++));
})();

beforeAll(async () => {
  harness = await Harness.startOnOwnDatabase('amberknit_uploads');
  db = harness.app.get(DataSource);
  piece = await harness.newPiece();
});
afterAll(() => harness.app.close());

const base64 = (text: string): string => Buffer.from(text).toString('base64');
const tus = { 'Tus-Resumable': '1.0.0' };

/** Announces an upload. @returns where it goes */
async function create(bytes: Buffer, about: Record<string, string> = {}): Promise<Response> {
  const meta = { filename: 'front.ply', pieceId: piece.id, setup: 'Upright', ...about };
  const text = Object.entries(meta).map(([k, v]) => `${k} ${base64(v)}`);
  return fetch(`${harness.base}/api/uploads`, {
    method: 'POST',
    headers: { ...tus, 'Upload-Length': String(bytes.length), 'Upload-Metadata': text.join(',') },
  });
}
const place = async (bytes: Buffer, about?: Record<string, string>): Promise<string> =>
  new URL((await create(bytes, about)).headers.get('location')!, harness.base).href;

const patch = (url: string, offset: number, body: Buffer): Promise<Response> =>
  fetch(url, {
    method: 'PATCH',
    headers: { ...tus, 'Upload-Offset': String(offset), 'Content-Type': 'application/offset+octet-stream' },
    body: new Uint8Array(body),
  });
const head = (url: string): Promise<Response> => fetch(url, { method: 'HEAD', headers: tus });
const stepsNow = async (): Promise<number> =>
  (await db.query<{ n: number }[]>('SELECT count(*)::int AS n FROM step'))[0].n;
const kept = (): string[] => readdirSync(harness.uploadDir).filter((f) => !f.includes('.') && f.length === 32);

test('a file that could not be stored is no success, and is finished by asking again', async () => {
  const bytes = fresh();
  const url = await place(bytes);
  await db.query('ALTER TABLE blob_chunk RENAME TO blob_chunk_away');
  const before = await stepsNow();
  expect((await patch(url, 0, bytes)).status).toBe(500);
  // It is all there, but it is no step: HEAD tries, and says that it failed.
  expect((await head(url)).status).toBe(500);
  expect((await patch(url, bytes.length, Buffer.alloc(0))).status).toBe(500);
  expect(await stepsNow()).toBe(before);
  await db.query('ALTER TABLE blob_chunk_away RENAME TO blob_chunk');
  const done = await head(url);
  const step = done.headers.get('amber-step')!;
  expect([done.status, done.headers.get('upload-offset')]).toEqual([200, String(bytes.length)]);
  expect(await harness.step(step)).toMatchObject({ operationId: 'capture.import', sourceName: 'front.ply' });
  // Asked once more, as a client does whose answer was lost: the same step.
  expect((await head(url)).headers.get('amber-step')).toBe(step);
  expect(await stepsNow()).toBe(before + 1);
  expect(kept()).toEqual([]);
});

test('a PATCH of no bytes finishes it too; asked many times at once it is one step', async () => {
  const bytes = fresh();
  const url = await place(bytes);
  await db.query('ALTER TABLE blob_chunk RENAME TO blob_chunk_away');
  expect((await patch(url, 0, bytes)).status).toBe(500);
  await db.query('ALTER TABLE blob_chunk_away RENAME TO blob_chunk');
  const before = await stepsNow();
  const answers = await Promise.all([head(url), head(url), patch(url, bytes.length, Buffer.alloc(0)), head(url)]);
  const steps = new Set(answers.flatMap((a) => a.headers.get('amber-step') ?? []));
  expect(steps.size).toBe(1);
  expect(await stepsNow()).toBe(before + 1);
});

test('what is refused leaves neither file nor blob', async () => {
  const blobs = async (): Promise<string> => JSON.stringify(await db.query('SELECT count(*) FROM blob'));
  const before = await blobs();
  const nobody = piece.id.replace(/^./, '0').replace(/.$/, '1');
  const refused: Record<string, string>[] = [
    { operation: 'none' },
    { params: 'x' },
    { pieceId: 'x' },
    { pieceId: nobody },
  ];
  for (const about of refused) {
    const bytes = fresh();
    expect(Math.floor((await patch(await place(bytes, about), 0, bytes)).status / 100)).toBe(4);
  }
  expect(await blobs()).toBe(before);
  expect(kept()).toEqual([]);
  expect(await harness.violations()).toEqual([]);
});

test('what the disk can’t hold is refused before it is sent, in words', async () => {
  const full = await Harness.start(harness.databaseUrl, { keptFreeBytes: Number.MAX_SAFE_INTEGER });
  const answer = await fetch(`${full.base}/api/uploads`, {
    method: 'POST',
    headers: { ...tus, 'Upload-Length': '4000000', 'Upload-Metadata': `pieceId ${base64(piece.id)}` },
  });
  expect(answer.status).toBe(507);
  expect(((await answer.json()) as { detail: string }).detail).toMatch(/this needs 8 MB. Make room/);
  expect((await fetch(`${full.base}/ready`)).status).toBe(503);
  await full.app.close();
});

test('names of files may be long, foreign or broken', async () => {
  for (const filename of ['ü'.repeat(3000), 'кувшин.ply', 'a\0b\u0007.ply', '']) {
    const bytes = fresh();
    const url = await place(bytes, { filename });
    const step = (await patch(url, 0, bytes)).headers.get('amber-step')!;
    expect((await harness.step(step)).sourceName!.length).toBeLessThanOrEqual(200);
  }
});
