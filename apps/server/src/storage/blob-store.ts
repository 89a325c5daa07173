import { createHash } from 'node:crypto';
import { createReadStream } from 'node:fs';
import { open, stat } from 'node:fs/promises';
import type { ClientBase } from 'pg';
import { to as copyTo } from 'pg-copy-streams';
import type { DataSource, EntityManager } from 'typeorm';
import type { PostgresDriver } from 'typeorm/driver/postgres/PostgresDriver.js';

const CHUNK = 2 * 1024 * 1024;
/** Advisory lock of all who store blobs (shared) and of who removes unused ones (alone). */
const STORING = 4_780_001;
/** Of a blob `b`: nothing names it. */
export const OWNERLESS = `NOT EXISTS (SELECT 1 FROM artifact a WHERE a.blob_sha256 = b.sha256)
  AND NOT EXISTS (SELECT 1 FROM step s WHERE s.source_sha256 = b.sha256)`;

/**
 * Bytes in PostgreSQL, addressed by their SHA-256: the same bytes are stored once, and never rewritten.
 */
export class BlobStore {
  constructor(private readonly db: DataSource) {}

  /** Stores bytes unless they are there already. @returns their SHA-256 */
  async put(bytes: Uint8Array, manager: EntityManager = this.db.manager): Promise<string> {
    const sha = createHash('sha256').update(bytes).digest('hex');
    await this.insert(sha, bytes.length, chunksOf(bytes), manager);
    return sha;
  }

  /** Stores a file, a chunk in memory at a time. @returns its SHA-256 */
  async putFile(path: string, manager: EntityManager = this.db.manager): Promise<string> {
    const hash = createHash('sha256');
    for await (const part of createReadStream(path)) hash.update(part as Buffer);
    const sha = hash.digest('hex');
    const { size } = await stat(path);
    await this.insert(sha, size, createReadStream(path, { highWaterMark: CHUNK }), manager);
    return sha;
  }

  /**
   * Stores bytes whose sum is known beforehand.
   * @throws Error if they are others, or not as many as was said: then nothing is stored
   */
  async putKnown(sha: string, size: number, parts: AsyncIterable<Buffer>, manager: EntityManager): Promise<void> {
    const hash = createHash('sha256');
    let length = 0;
    const counted = async function* (): AsyncGenerator<Buffer> {
      for await (const part of parts) {
        hash.update(part);
        length += part.length;
        yield part;
      }
    };
    let read = false;
    const chunks = async function* (): AsyncGenerator<Buffer> {
      read = true;
      yield* evenly(counted());
    };
    await manager.transaction(async (tx) => {
      await this.insert(sha, size, chunks(), tx);
      // What was there already was not read.
      if (read && (length !== size || hash.digest('hex') !== sha)) throw new Error(`The bytes of ${sha} are others.`);
    });
  }

  private async insert(
    sha: string,
    size: number,
    parts: Iterable<Buffer> | AsyncIterable<Buffer>,
    manager: EntityManager,
  ): Promise<void> {
    await manager.transaction(async (tx) => {
      // What is there may be counted on until this ends: blobs that nobody uses are removed only while nobody stores.
      await tx.query('SELECT pg_advisory_xact_lock_shared($1)', [STORING]);
      const fresh = (await tx.query(
        'INSERT INTO blob (sha256, bytes) VALUES ($1, $2) ON CONFLICT DO NOTHING RETURNING sha256',
        [sha, size],
      )) as unknown[];
      if (fresh.length === 0) return;
      let position = 0;
      for await (const part of parts) {
        await tx.query('INSERT INTO blob_chunk (sha256, position, data) VALUES ($1, $2, $3)', [sha, position++, part]);
      }
    });
  }

  /**
   * Removes blobs that no artifact and no step names, unless something is being stored just now.
   * @returns how many went, and how many bytes they had
   */
  async sweep(): Promise<{ blobs: number; bytes: number }> {
    return this.db.transaction(async (tx) => {
      const [{ free }] = (await tx.query('SELECT pg_try_advisory_xact_lock($1) AS free', [STORING])) as {
        free: boolean;
      }[];
      if (!free) return { blobs: 0, bytes: 0 };
      const [gone] = (await tx.query(`DELETE FROM blob b WHERE ${OWNERLESS} RETURNING bytes`)) as [
        { bytes: string }[],
        number,
      ];
      return { blobs: gone.length, bytes: gone.reduce((n, b) => n + Number(b.bytes), 0) };
    });
  }

  /** The chunks in order, one in memory at a time. */
  async *chunks(sha: string): AsyncGenerator<Buffer> {
    for (let position = 0; ; position++) {
      const data = await this.chunk(sha, position);
      if (!data) return;
      yield data;
    }
  }

  /** The bytes from one place to before another; only the chunks that hold them are read. */
  async *range(sha: string, from: number, to: number): AsyncGenerator<Buffer> {
    const rows = (await this.db.query(
      'SELECT position, length(data)::int AS length FROM blob_chunk WHERE sha256 = $1 ORDER BY position',
      [sha],
    )) as { position: number; length: number }[];
    let start = 0;
    for (const { position, length } of rows) {
      const [first, last] = [Math.max(from - start, 0), Math.min(to - start, length)];
      if (first < last) {
        const data = await this.chunk(sha, position);
        if (!data) throw new Error(`Blob ${sha} is incomplete.`);
        yield data.subarray(first, last);
      }
      start += length;
    }
  }

  /**
   * One chunk, copied out as it lies there: a query would bring it as text, twice as long. A connection is held for one
   * chunk only, however slowly it is taken.
   */
  private async chunk(sha: string, position: number): Promise<Buffer | undefined> {
    if (!/^[0-9a-f]{64}$/.test(sha)) throw new Error('A blob is named by its SHA-256.');
    const [client, release] = (await (this.db.driver as PostgresDriver).obtainMasterConnection()) as [
      ClientBase,
      (error?: Error) => void,
    ];
    // The query tells of a lost connection; without a listener the client would end the process besides.
    const ignore = (): void => undefined;
    client.on('error', ignore);
    try {
      const parts: Buffer[] = [];
      const row = `SELECT data FROM blob_chunk WHERE sha256 = '${sha}' AND position = ${position}`;
      for await (const part of client.query(copyTo(`COPY (${row}) TO STDOUT WITH (FORMAT binary)`)))
        parts.push(part as Buffer);
      release();
      return onlyField(Buffer.concat(parts));
    } catch (error) {
      // What is left in the connection is not known: it is closed.
      release(error as Error);
      throw error;
    } finally {
      client.off('error', ignore);
    }
  }

  async size(sha: string): Promise<number | undefined> {
    const rows = (await this.db.query('SELECT bytes FROM blob WHERE sha256 = $1', [sha])) as { bytes: string }[];
    return rows.length > 0 ? Number(rows[0].bytes) : undefined;
  }

  /** Writes the bytes to a new file, a chunk in memory at a time. */
  async copyTo(sha: string, path: string): Promise<void> {
    const file = await open(path, 'wx');
    try {
      // `write` may write a part and say so: only `appendFile` writes all or throws.
      for await (const part of this.chunks(sha)) await file.appendFile(part);
    } finally {
      await file.close();
    }
  }

  /** All bytes at once. @throws Error if they are incomplete */
  async get(sha: string): Promise<Uint8Array> {
    const size = await this.size(sha);
    if (size === undefined) throw new Error(`Blob ${sha} does not exist.`);
    const out = new Uint8Array(size);
    let at = 0;
    for await (const part of this.chunks(sha)) {
      out.set(part, at);
      at += part.length;
    }
    if (at !== size) throw new Error(`Blob ${sha} holds ${at} of ${size} bytes.`);
    return out;
  }
}

/**
 * The only field of the only row of a binary copy, undefined if there is no row: after a head of eleven bytes, flags and the
 * length of an extension stand the number of fields, the length of the first, and the field.
 * Source: PostgreSQL documentation, COPY, "Binary Format".
 */
function onlyField(copy: Buffer): Buffer | undefined {
  const row = 19 + copy.readInt32BE(15);
  if (copy.readInt16BE(row) < 0) return undefined;
  return copy.subarray(row + 6, row + 6 + copy.readInt32BE(row + 2));
}

/** The same bytes in chunks of the usual size. */
async function* evenly(parts: AsyncIterable<Buffer>): AsyncGenerator<Buffer> {
  let held: Buffer[] = [];
  let length = 0;
  for await (const part of parts) {
    held.push(part);
    length += part.length;
    if (length < CHUNK) continue;
    const all = Buffer.concat(held);
    let at = 0;
    for (; at + CHUNK <= length; at += CHUNK) yield all.subarray(at, at + CHUNK);
    held = [all.subarray(at)];
    length -= at;
  }
  if (length > 0) yield Buffer.concat(held);
}

function* chunksOf(bytes: Uint8Array): Generator<Buffer> {
  for (let at = 0; at < bytes.length; at += CHUNK)
    yield Buffer.from(bytes.buffer, bytes.byteOffset + at, Math.min(CHUNK, bytes.length - at));
}
