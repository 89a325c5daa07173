import { createHash } from 'node:crypto';
import { createReadStream } from 'node:fs';
import { open, stat } from 'node:fs/promises';
import type { ClientBase } from 'pg';
import { to as copyTo } from 'pg-copy-streams';
import type { DataSource, EntityManager } from 'typeorm';
import type { PostgresDriver } from 'typeorm/driver/postgres/PostgresDriver.js';

const CHUNK = 2 * 1024 * 1024;

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

  private async insert(
    sha: string,
    size: number,
    parts: Iterable<Buffer> | AsyncIterable<Buffer>,
    manager: EntityManager,
  ): Promise<void> {
    await manager.transaction(async (tx) => {
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

  /** The chunks in order, one in memory at a time. */
  async *chunks(sha: string): AsyncGenerator<Buffer> {
    for (let position = 0; ; position++) {
      const data = await this.chunk(sha, position);
      if (!data) return;
      yield data;
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
      for await (const part of this.chunks(sha)) await file.write(part);
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

function* chunksOf(bytes: Uint8Array): Generator<Buffer> {
  for (let at = 0; at < bytes.length; at += CHUNK)
    yield Buffer.from(bytes.buffer, bytes.byteOffset + at, Math.min(CHUNK, bytes.length - at));
}
