import { Injectable, ConflictException } from '@nestjs/common';
import { DataSource, type EntityManager } from 'typeorm';
import yauzl, { type Entry, type ZipFile } from 'yauzl';
import { GeometryError } from '@amber-knit/core/runtime';
import { Artifact, Piece, PieceState, ScanRow, Step } from '../database/entities.js';
import { BlobStore } from '../storage/blob-store.js';
import { readArchiveContent, type ArchiveContent } from './archive-content.js';

/** The list of contents is read whole: no longer than this. */
const LONGEST_LIST = 256 * 1024 * 1024;
const MOST_ENTRIES = 200_000;

/** Brings a piece back from its archive, with its whole ledger: same ids, same bytes, every step to be repeated. */
@Injectable()
export class ArchiveReader {
  constructor(
    private readonly db: DataSource,
    private readonly blobs: BlobStore,
  ) {}

  /**
   * @param path of the archive on disk
   * @returns the id of the piece
   * @throws GeometryError that names what is wrong with the file; ConflictException if the piece is here already
   */
  async bringIn(path: string, manager: EntityManager = this.db.manager): Promise<string> {
    const zip = await opened(path);
    try {
      const entries = await entriesOf(zip);
      const list = entries.get('archive.json');
      if (!list) throw new GeometryError('unsupported-format', 'The file is no archive of a piece.');
      if (list.uncompressedSize > LONGEST_LIST)
        throw new GeometryError('too-large', 'The list of contents of this archive is too long to be read.');
      const content = readArchiveContent((await bytesOf(zip, list)).toString('utf8'));
      await manager.transaction(async (tx) => {
        await this.mustBeNew(content, tx);
        for (const { sha256, bytes, path: name } of content.blobs) {
          const entry = entries.get(name);
          if (!entry || entry.uncompressedSize !== bytes) throw damaged(name);
          await this.blobs.putKnown(sha256, bytes, await streamOf(zip, entry), tx).catch((e: unknown) => {
            throw isZipFault(e) ? damaged(name) : e;
          });
        }
        await storeRows(content, tx);
      });
      return content.piece.id;
    } finally {
      zip.close();
    }
  }

  private async mustBeNew(
    { piece, artifacts, steps, scans, states }: ArchiveContent,
    tx: EntityManager,
  ): Promise<void> {
    const here = await tx.findOneBy(Piece, { id: piece.id });
    if (here)
      throw new ConflictException(
        `"${here.name}" is here already${here.awayAt ? ', put away from the shelf' : ''}. Remove it for good first, or bring the archive into another server.`,
      );
    const taken = async (
      entity: typeof Artifact | typeof Step | typeof ScanRow | typeof PieceState,
      rows: { id: string }[],
    ): Promise<boolean> =>
      (
        (await tx.query(`SELECT 1 FROM ${tx.getRepository(entity).metadata.tableName} WHERE id = ANY ($1) LIMIT 1`, [
          rows.map((r) => r.id),
        ])) as unknown[]
      ).length > 0;
    if (
      (await taken(Artifact, artifacts)) ||
      (await taken(Step, steps)) ||
      (await taken(ScanRow, scans)) ||
      (await taken(PieceState, states))
    )
      throw new ConflictException('Parts of this archive belong to another piece that is here already.');
  }
}

async function storeRows({ piece, scans, artifacts, states, steps }: ArchiveContent, tx: EntityManager): Promise<void> {
  const { id: pieceId } = piece;
  await tx.insert(Piece, { ...piece, createdAt: new Date(piece.createdAt) } as never);
  // One after the other: their numbers count up in this order.
  for (const s of steps)
    await tx.insert(Step, {
      ...s,
      pieceId,
      progress: s.status === 'done' ? 1 : 0,
      createdAt: new Date(s.createdAt),
      startedAt: s.startedAt ? new Date(s.startedAt) : null,
      finishedAt: new Date(s.finishedAt),
    } as never);
  const insert = async (
    entity: typeof Artifact | typeof PieceState | typeof ScanRow,
    rows: object[],
  ): Promise<void> => {
    for (let i = 0; i < rows.length; i += 500) await tx.insert(entity, rows.slice(i, i + 500) as never);
  };
  await insert(
    Artifact,
    artifacts.map((a) => ({ ...a, pieceId, createdAt: new Date(a.createdAt) })),
  );
  await insert(
    PieceState,
    states.map((s) => ({ ...s, pieceId, createdAt: new Date(s.createdAt) })),
  );
  await insert(
    ScanRow,
    scans.map((s) => ({ ...s, pieceId })),
  );
}

const damaged = (name: string): GeometryError =>
  new GeometryError('corrupt-file', `The archive is damaged at ${name}. Nothing was changed; copy it again.`);

/** What the reader of the zip, or a checksum that does not match, throws: the database throws other things. */
const isZipFault = (e: unknown): boolean => e instanceof Error && !('driverError' in e) && !('code' in e);

function opened(path: string): Promise<ZipFile> {
  return new Promise((resolve, reject) =>
    yauzl.open(path, { lazyEntries: true, autoClose: false }, (e, zip) => {
      if (e || !zip)
        reject(new GeometryError('unsupported-format', 'The file is no archive, or was cut off. Copy it again.'));
      else resolve(zip);
    }),
  );
}

function entriesOf(zip: ZipFile): Promise<Map<string, Entry>> {
  return new Promise((resolve, reject) => {
    const out = new Map<string, Entry>();
    zip.on('entry', (entry: Entry) => {
      out.set(entry.fileName, entry);
      if (out.size > MOST_ENTRIES) reject(new GeometryError('too-large', 'The archive holds too many files.'));
      else zip.readEntry();
    });
    zip.on('end', () => resolve(out));
    zip.on('error', () =>
      reject(new GeometryError('corrupt-file', 'The archive was cut off or damaged. Copy it again.')),
    );
    zip.readEntry();
  });
}

function streamOf(zip: ZipFile, entry: Entry): Promise<NodeJS.ReadableStream & AsyncIterable<Buffer>> {
  return new Promise((resolve, reject) =>
    zip.openReadStream(entry, (e, stream) =>
      e || !stream ? reject(damaged(entry.fileName)) : resolve(stream as never),
    ),
  );
}

async function bytesOf(zip: ZipFile, entry: Entry): Promise<Buffer> {
  const parts: Buffer[] = [];
  try {
    for await (const part of await streamOf(zip, entry)) parts.push(part);
  } catch {
    throw damaged(entry.fileName);
  }
  return Buffer.concat(parts);
}
