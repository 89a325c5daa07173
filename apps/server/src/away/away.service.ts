import { ConflictException, Injectable, NotFoundException } from '@nestjs/common';
import { DataSource, IsNull, Not, type EntityManager } from 'typeorm';
import type { AwayPiece, PieceRoom } from '@amber-knit/contracts';
import { GuidedRun, Piece } from '../database/entities.js';
import { lockPiece, lockSettledPiece } from '../pieces/piece-lock.js';
import { BlobStore } from '../storage/blob-store.js';
import { CHANNELS, StepQueue } from '../steps/step-queue.js';
import { forgetUndone, undoneBytes } from './undone-work.js';

/** Of a blob `b`: the piece $1 uses it. */
const OF_PIECE = `(EXISTS (SELECT 1 FROM artifact a WHERE a.blob_sha256 = b.sha256 AND a.piece_id = $1)
  OR EXISTS (SELECT 1 FROM step s WHERE s.source_sha256 = b.sha256 AND s.piece_id = $1))`;
/** The same of any other piece. */
const OF_OTHERS = `(EXISTS (SELECT 1 FROM artifact a WHERE a.blob_sha256 = b.sha256 AND a.piece_id <> $1)
  OR EXISTS (SELECT 1 FROM step s WHERE s.source_sha256 = b.sha256 AND s.piece_id <> $1))`;

/** Pieces put away from the shelf: they can be put back, or removed for good, which gives their room back. */
@Injectable()
export class AwayService {
  constructor(
    private readonly db: DataSource,
    private readonly blobs: BlobStore,
    private readonly queue: StepQueue,
  ) {}

  /** @throws ConflictException while a step runs on it */
  async putAway(id: string): Promise<void> {
    await this.db.transaction(async (m) => {
      const piece = await lockSettledPiece(id, 'Cancel it, or put the piece away once it has come to its end.', m);
      await m.update(GuidedRun, { pieceId: id }, { paused: true });
      await m.save(Object.assign(piece, { awayAt: piece.awayAt ?? new Date() }));
    });
    await this.queue.notify(CHANNELS.piece, id);
  }

  async putBack(id: string): Promise<void> {
    await this.db.transaction(async (m) => m.save(Object.assign(await lockPiece(id, m), { awayAt: null })));
    await this.queue.notify(CHANNELS.piece, id);
  }

  /** Those put away, the latest first, with what removing each would give back. */
  async list(): Promise<AwayPiece[]> {
    const pieces = await this.db.manager.find(Piece, { where: { awayAt: Not(IsNull()) }, order: { awayAt: 'DESC' } });
    return Promise.all(
      pieces.map(async ({ id, name, note, awayAt }) => ({
        id,
        name,
        note,
        awayAt: awayAt!.toISOString(),
        ...(await this.room(id)),
      })),
    );
  }

  /** Room that a piece takes, and how much of it nobody else needs. @throws NotFoundException if there is no such piece */
  async room(id: string, manager: EntityManager = this.db.manager): Promise<PieceRoom> {
    if (!(await manager.existsBy(Piece, { id }))) throw new NotFoundException('There is no such piece.');
    const [row] = (await manager.query(
      `SELECT coalesce(sum(b.bytes), 0) AS used, coalesce(sum(b.bytes) FILTER (WHERE NOT ${OF_OTHERS}), 0) AS own,
         (SELECT coalesce(sum(length(f.data)), 0) FROM capture_frame f JOIN capture c ON c.id = f.capture_id
          WHERE c.piece_id = $1) AS frames
       FROM blob b WHERE ${OF_PIECE}`,
      [id],
    )) as { used: string; own: string; frames: string }[];
    const frames = Number(row.frames);
    return {
      bytes: Number(row.used) + frames,
      freed: Number(row.own) + frames,
      undone: await undoneBytes(id, manager),
    };
  }

  /**
   * Forgets what was undone on a piece; what came in stays. @returns the room that is left
   * @throws ConflictException while a step runs on it
   */
  async forget(id: string): Promise<PieceRoom> {
    await this.db.transaction(async (m) => {
      await lockSettledPiece(id, 'Forget what was undone once it has come to its end.', m);
      await forgetUndone(id, m);
    });
    await this.blobs.sweep();
    await this.queue.notify(CHANNELS.piece, id);
    return this.room(id);
  }

  /**
   * Removes a piece for good, with its scans, results, captures and ledger. Bytes that nobody uses any more are cleared at once
   * or, beside somebody who is storing, within the hour.
   * @throws ConflictException if it stands on the shelf, or while a step runs on it
   */
  async remove(id: string): Promise<PieceRoom> {
    const room = await this.db.transaction(async (m) => {
      const piece = await lockSettledPiece(id, 'Cancel it first.', m);
      if (!piece.awayAt) throw new ConflictException('This piece stands on the shelf. Put it away first.');
      const taken = await this.room(id, m);
      // All that belongs to it goes with it, by the tables' own rules.
      await m.delete(Piece, { id });
      return taken;
    });
    await this.blobs.sweep();
    await this.queue.notify(CHANNELS.piece, id);
    return room;
  }
}
