import { mkdtemp, readFile, rm, writeFile } from 'node:fs/promises';
import { createHash } from 'node:crypto';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { DataSource } from 'typeorm';
import { openDatabase } from '../database/data-source.js';
import { BlobStore } from './blob-store.js';

/** Bytes in and out of a real PostgreSQL. */
let db: DataSource;
let blobs: BlobStore;
let dir: string;

beforeAll(async () => {
  db = await openDatabase(process.env.DATABASE_URL!);
  blobs = new BlobStore(db);
  dir = await mkdtemp(join(tmpdir(), 'amber-blobs-'));
});

afterAll(async () => {
  await db.destroy();
  await rm(dir, { recursive: true });
});

/** Bytes of all values, chunk ends and zeros among them. */
const bytesOf = (length: number, seed: number): Uint8Array =>
  Uint8Array.from({ length }, (_, i) => ((i * 2654435761) >>> 13) + seed);

test.each([0, 1, 2 * 1024 * 1024, 5_000_001])('%d bytes come back as they went in', async (length) => {
  const bytes = bytesOf(length, 1);
  const sha = await blobs.put(bytes);
  expect(sha).toBe(createHash('sha256').update(bytes).digest('hex'));
  expect(Buffer.compare(await blobs.get(sha), bytes)).toBe(0);
  expect(await blobs.size(sha)).toBe(length);
  // A second time nothing is added.
  expect(await blobs.put(bytes)).toBe(sha);
  const chunks: number[] = [];
  for await (const chunk of blobs.chunks(sha)) chunks.push(chunk.length);
  expect(chunks).toHaveLength(Math.ceil(length / (2 * 1024 * 1024)));
});

test('from a file and to a file, and not at all if the transaction ends badly', async () => {
  const bytes = bytesOf(3_000_000, 2);
  await writeFile(join(dir, 'in'), bytes);
  let sha = '';
  await expect(
    db.transaction(async (manager) => {
      sha = await blobs.putFile(join(dir, 'in'), manager);
      throw new Error('something else failed');
    }),
  ).rejects.toThrow('something else failed');
  expect(await blobs.size(sha)).toBeUndefined();
  expect(await blobs.putFile(join(dir, 'in'))).toBe(sha);
  await blobs.copyTo(sha, join(dir, 'out'));
  expect((await readFile(join(dir, 'out'))).equals(bytes)).toBe(true);
});

test('more readers than connections take turns; those that stop half way hold none', async () => {
  const bytes = bytesOf(4_500_000, 3);
  const sha = await blobs.put(bytes);
  for (let i = 0; i < 40; i++) {
    for await (const chunk of blobs.chunks(sha)) {
      expect(chunk.length).toBeGreaterThan(0);
      break;
    }
  }
  const all = await Promise.all(Array.from({ length: 40 }, () => blobs.get(sha)));
  for (const got of all) expect(Buffer.compare(got, bytes)).toBe(0);
});

test('what is not there is said', async () => {
  await expect(blobs.get('0'.repeat(64))).rejects.toThrow(/does not exist/);
  await expect(blobs.chunks("x'; DROP TABLE blob; --").next()).rejects.toThrow(/named by its SHA-256/);
});
