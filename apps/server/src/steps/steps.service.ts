import { Injectable } from '@nestjs/common';
import { DataSource, In, type EntityManager } from 'typeorm';
import type { StepView } from '@amber-knit/contracts';
import { findOperation, OPERATION_IDS, operationOf, parseParams, type Operation } from '@amber-knit/operations';
import { GeometryError } from '@amber-knit/core/runtime';
import { currentName } from '../accounts/current-person.js';
import { Artifact, Piece, Step } from '../database/entities.js';
import { log } from '../log/log.js';
import { PiecesService } from '../pieces/pieces.service.js';
import { CHANNELS, StepQueue } from './step-queue.js';
import { stepView, wholeStepView } from './step-view.js';

/** A file that waits to be imported. */
export interface ImportSource {
  sha256: string;
  name: string;
  setup: string;
  /** The upload that brought it, if one did. */
  uploadId?: string;
}

@Injectable()
export class StepsService {
  constructor(
    private readonly db: DataSource,
    private readonly queue: StepQueue,
    private readonly pieces: PiecesService,
  ) {}

  /**
   * Validates and queues a run. Parameters not given take suggested values.
   * @param manager a transaction that it is to be part of
   */
  async enqueue(
    pieceId: string,
    operationId: string,
    values: Record<string, unknown>,
    seed: number,
    source?: ImportSource,
    manager: EntityManager = this.db.manager,
  ): Promise<StepView> {
    const operation = findOperation(operationId);
    if ((operation.needs as string[]).includes('file') && !source) {
      throw new GeometryError('invalid-parameter', `"${operation.title}" starts with an uploaded file.`);
    }
    await manager.findOneByOrFail(Piece, { id: pieceId });
    const suggested = operation.suggest(await this.pieces.stats(pieceId));
    const params = parseParams(operation.params, { ...suggested, ...values });
    return manager.transaction(async (tx) => {
      const step = await tx.save(
        tx.create(Step, {
          pieceId,
          operationId,
          operationVersion: operation.version,
          params: { ...params } as Record<string, unknown>,
          seed,
          status: 'queued',
          after: await this.groundOf(pieceId, operation, tx),
          sourceSha256: source?.sha256 ?? null,
          sourceName: source?.name ?? null,
          sourceSetup: source?.setup ?? null,
          uploadId: source?.uploadId ?? null,
          by: currentName(),
        }),
      );
      await this.queue.notify(CHANNELS.step, step.id, tx);
      await this.queue.notify(CHANNELS.queued, step.id, tx);
      log.info({ step: step.id, piece: pieceId, operation: operationId }, 'step asked for');
      return stepView(await tx.findOneByOrFail(Step, { id: step.id }));
    });
  }

  /**
   * The open steps that give what an operation takes: it works on their results, so it needs their good end. What a new file
   * brings is wanted whatever becomes of the rest.
   */
  private async groundOf(pieceId: string, operation: Operation, manager: EntityManager): Promise<string[]> {
    const needs: readonly string[] = operation.needs;
    const taken = new Set<string>([...needs, ...(needs.includes('file') ? [] : (operation.uses ?? []))]);
    const open = await manager.findBy(Step, { pieceId, status: In(['queued', 'running']) });
    return open.filter((s) => operationOf(s)?.gives.some((kind) => taken.has(kind))).map((s) => s.id);
  }

  /**
   * Queues an operation that begins with a file, on one that a step made, or on the surface of a piece.
   * @throws GeometryError `invalid-parameter` if it is neither
   */
  async importArtifact(
    pieceId: string,
    artifactId: string,
    setup: string,
    operationId: string,
    params: Record<string, unknown>,
  ): Promise<StepView> {
    const {
      kind,
      facts,
      pieceId: from,
      blobSha256: sha256,
    } = await this.db.manager.findOneByOrFail(Artifact, { id: artifactId });
    if (!(findOperation(operationId).needs as string[]).includes('file'))
      throw new GeometryError('invalid-parameter', 'What begins with no file can’t be begun with one.');
    const isSurface = kind === 'mesh' && operationId !== OPERATION_IDS.captureImport;
    if (kind !== 'file' && !isSurface)
      throw new GeometryError('invalid-parameter', 'Only files and surfaces can be brought in.');
    // A surface goes by the name of its piece.
    const name = isSurface
      ? (await this.db.manager.findOneByOrFail(Piece, { id: from })).name
      : String(facts.name ?? 'scans');
    return this.enqueue(pieceId, operationId, params, 1, { sha256, name, setup });
  }

  /**
   * Queues a step once more with some parameters changed, from the same file if it began with one. What a failed step
   * asked (its figures) counts as answered.
   */
  async again(id: string, change: Record<string, unknown>): Promise<StepView> {
    const step = await this.db.manager.findOneByOrFail(Step, { id });
    const source = step.sourceSha256
      ? { sha256: step.sourceSha256, name: step.sourceName ?? 'scan', setup: step.sourceSetup ?? 'Setup 1' }
      : undefined;
    const next = await this.enqueue(step.pieceId, step.operationId, { ...step.params, ...change }, step.seed, source);
    if (step.status === 'failed') {
      await this.db.manager.update(Step, id, { figures: null });
      await this.queue.notify(CHANNELS.step, id);
    }
    return next;
  }

  async list(pieceId: string): Promise<StepView[]> {
    return (await this.db.manager.find(Step, { where: { pieceId }, order: { number: 'ASC' } })).map((s) => stepView(s));
  }

  async get(id: string, manager: EntityManager = this.db.manager): Promise<StepView> {
    return wholeStepView(await manager.findOneByOrFail(Step, { id }));
  }

  /** Asks a step to stop: at once if it is queued, within a second if it runs. Finished steps stay as they are. */
  async cancel(id: string): Promise<StepView> {
    await this.db.manager.findOneByOrFail(Step, { id });
    await this.db.query(
      `UPDATE step SET cancel_requested = true, status = CASE WHEN status = 'queued' THEN 'cancelled' ELSE status END,
              finished_at = CASE WHEN status = 'queued' THEN now() ELSE finished_at END
       WHERE id = $1 AND status IN ('queued', 'running')`,
      [id],
    );
    await this.queue.notify(CHANNELS.cancel, id);
    await this.queue.notify(CHANNELS.step, id);
    return this.get(id);
  }
}
