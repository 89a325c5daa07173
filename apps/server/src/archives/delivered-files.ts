import type { Readable } from 'node:stream';
import { BadRequestException, Injectable, NotFoundException } from '@nestjs/common';
import { operationOf } from '@amber-knit/operations';
import { DataSource, In } from 'typeorm';
import yazl from 'yazl';
import { Artifact, Blob, Piece, Step } from '../database/entities.js';
import { BlobStore } from '../storage/blob-store.js';
import { endWithStored, type StoredEntry } from './zip-stream.js';

/** The files that a piece was delivered as, several in one. */
@Injectable()
export class DeliveredFiles {
  constructor(
    private readonly db: DataSource,
    private readonly blobs: BlobStore,
  ) {}

  /**
   * The newest of each name, or of these those that are chosen, and the piece's name.
   * @throws NotFoundException if nothing was delivered @throws BadRequestException if a chosen one is not among them
   */
  async of(pieceId: string, only: readonly string[]): Promise<{ piece: string; files: StoredEntry[] }> {
    const { manager } = this.db;
    const piece = await manager.findOneByOrFail(Piece, { id: pieceId });
    const steps = await manager.find(Step, { where: { pieceId, status: 'done' }, order: { number: 'ASC' } });
    const ids = steps.filter((s) => operationOf(s)?.stage === 'deliver').flatMap((s) => s.outputs);
    const artifacts = new Map(
      (await manager.find(Artifact, { where: { id: In(ids), kind: 'file' } })).map((a) => [a.id, a]),
    );
    const byName = new Map<string, Artifact>();
    for (const id of ids) {
      const artifact = artifacts.get(id);
      if (artifact) byName.set(String(artifact.facts.name), artifact);
    }
    const newest = [...byName.values()];
    const stray = only.find((id) => !newest.some((a) => a.id === id));
    if (stray !== undefined)
      throw new BadRequestException(`"${stray}" is none of the newest delivered files of this piece.`);
    const chosen = only.length > 0 ? newest.filter((a) => only.includes(a.id)) : newest;
    if (chosen.length === 0) throw new NotFoundException('Nothing was delivered of this piece yet.');
    const sizes = new Map(
      (await manager.find(Blob, { where: { sha256: In(chosen.map((a) => a.blobSha256)) } })).map((b) => [
        b.sha256,
        Number(b.bytes),
      ]),
    );
    return {
      piece: piece.name,
      files: chosen.map(({ facts, blobSha256 }) => ({
        path: safeName(String(facts.name)),
        sha256: blobSha256,
        bytes: sizes.get(blobSha256) ?? 0,
      })),
    };
  }

  /** The files as one zip with their checksums, streamed: nothing of it is held but a chunk. An error ends the stream. */
  stream(files: readonly StoredEntry[]): Readable {
    const zip = new yazl.ZipFile();
    const sums = files.map((f) => `${f.sha256}  ${f.path}\n`).join('');
    zip.addBuffer(Buffer.from(sums), 'checksums.sha256');
    return endWithStored(zip, files, this.blobs);
  }
}

/** A name that stays within the folder it is unpacked to. */
export const safeName = (name: string): string =>
  name.replace(/[^\p{L}\p{N} ._-]/gu, '_').replace(/^\.+/, '') || 'file';
