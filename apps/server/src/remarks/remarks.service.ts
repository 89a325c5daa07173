import { BadRequestException, ForbiddenException, Injectable, NotFoundException } from '@nestjs/common';
import { DataSource } from 'typeorm';
import { mayDo, type RemarkView } from '@amber-knit/contracts';
import { currentName, currentPerson } from '../accounts/current-person.js';
import { Piece, Remark, Step } from '../database/entities.js';
import { PieceStore } from '../pieces/piece-store.js';
import { CHANNELS, StepQueue } from '../steps/step-queue.js';

/** So many on one piece are no longer read. */
const MOST = 2000;

export interface NewRemark {
  text: string;
  place?: [number, number, number];
  stepId?: string;
}

/** What people say about a piece: at a place of its surface, on a step, or on the whole. It changes nothing of the piece. */
@Injectable()
export class RemarksService {
  constructor(
    private readonly db: DataSource,
    private readonly store: PieceStore,
    private readonly queue: StepQueue,
  ) {}

  /** Oldest first. */
  async list(pieceId: string): Promise<RemarkView[]> {
    const mesh = await this.meshOf(pieceId);
    const rows = await this.db.manager.find(Remark, { where: { pieceId }, order: { createdAt: 'ASC', id: 'ASC' } });
    return rows.map((row) => viewOf(row, mesh));
  }

  /** @throws BadRequestException for a place without a surface, a step of another piece, or one remark too many */
  async add(pieceId: string, { text, place, stepId }: NewRemark): Promise<RemarkView> {
    const mesh = await this.meshOf(pieceId);
    if (place && !mesh) throw new BadRequestException('There is no surface to pin a remark to yet.');
    if (stepId && !(await this.db.manager.existsBy(Step, { id: stepId, pieceId })))
      throw new BadRequestException('That step is not one of this piece.');
    if ((await this.db.manager.countBy(Remark, { pieceId })) >= MOST)
      throw new BadRequestException(`There are ${MOST} remarks on this piece already. Take back some that are done.`);
    const row = await this.db.manager.save(
      this.db.manager.create(Remark, {
        pieceId,
        personId: currentPerson()?.id ?? null,
        by: currentName(),
        text,
        place: place ?? null,
        meshId: place ? mesh : null,
        stepId: stepId ?? null,
      }),
    );
    await this.queue.notify(CHANNELS.piece, pieceId);
    return viewOf(row, mesh);
  }

  /** Says that it is done, or not after all. @throws NotFoundException */
  async setDone(id: string, done: boolean): Promise<RemarkView> {
    const row = await this.found(id);
    Object.assign(row, { doneAt: done ? new Date() : null, doneBy: done ? currentName() : null });
    await this.db.manager.save(row);
    await this.queue.notify(CHANNELS.piece, row.pieceId);
    return viewOf(row, await this.meshOf(row.pieceId));
  }

  /** @throws NotFoundException; ForbiddenException for whoever neither made it nor may change the piece */
  async takeBack(id: string): Promise<void> {
    const row = await this.found(id);
    const person = currentPerson();
    const { ownerId } = await this.db.manager.findOneByOrFail(Piece, { id: row.pieceId });
    if (person && person.id !== row.personId && !mayDo(person, 'work', ownerId))
      throw new ForbiddenException('Only who made a remark, or may work on the piece, takes it back.');
    await this.db.manager.delete(Remark, { id });
    await this.queue.notify(CHANNELS.piece, row.pieceId);
  }

  private async found(id: string): Promise<Remark> {
    const row = await this.db.manager.findOneBy(Remark, { id });
    if (!row) throw new NotFoundException('There is no such remark.');
    return row;
  }

  private async meshOf(pieceId: string): Promise<string | null> {
    const piece = await this.db.manager.findOneBy(Piece, { id: pieceId });
    if (!piece) throw new NotFoundException('There is no such piece.');
    return (await this.store.heads(piece)).mesh ?? null;
  }
}

const viewOf = (row: Remark, mesh: string | null): RemarkView => ({
  id: row.id,
  by: row.personId && row.by !== null ? { id: row.personId, name: row.by } : null,
  text: row.text,
  place: row.place,
  fresh: row.meshId === null || row.meshId === mesh,
  stepId: row.stepId,
  at: row.createdAt.toISOString(),
  done: row.doneAt && { by: row.doneBy, at: row.doneAt.toISOString() },
});
