import { rm } from 'node:fs/promises';
import { join } from 'node:path';
import type { Upload } from '@tus/server';
import type { DataSource } from 'typeorm';
import { OPERATION_IDS } from '@amber-knit/operations';
import { GeometryError } from '@amber-knit/core/runtime';
import type { ArchiveReader } from '../archives/archive-reader.js';
import { Step } from '../database/entities.js';
import { toProblem } from '../problem.filter.js';
import type { StepsService } from '../steps/steps.service.js';
import type { BlobStore } from '../storage/blob-store.js';

/** A finished upload: the step that takes it, and how long it is. */
export interface FinishedUpload {
  /** What it became: a step, or a piece that came out of an archive. */
  became: { 'Amber-Step': string } | { 'Amber-Piece': string };
  bytes: number;
}

/** Makes a step of an upload, once, however often it is asked to. */
export class UploadFinisher {
  constructor(
    private readonly db: DataSource,
    private readonly blobs: BlobStore,
    private readonly steps: StepsService,
    private readonly uploadDir: string,
    private readonly archives: ArchiveReader,
  ) {}

  /** The step that an upload became, whose file is no longer here; nothing if it became none. */
  async find(uploadId: string): Promise<FinishedUpload | undefined> {
    const step = await this.db.manager.findOneBy(Step, { uploadId });
    if (!step) return undefined;
    return {
      became: { 'Amber-Step': step.id },
      bytes: (step.sourceSha256 && (await this.blobs.size(step.sourceSha256))) || 0,
    };
  }

  /**
   * Stores the file of a complete upload and queues its step, both or neither; then the file goes. What is refused for
   * good goes too; what failed for want of room or of a database stays and can be finished later.
   * @throws Error that `toProblem` has words for
   */
  async finish(upload: Upload): Promise<FinishedUpload> {
    try {
      const finished = await this.db.transaction(async (manager): Promise<FinishedUpload> => {
        // Two requests may both find it complete: the second waits here, and then finds the step.
        await manager.query('SELECT pg_advisory_xact_lock(hashtextextended($1, 0))', [`upload ${upload.id}`]);
        const done = await manager.findOneBy(Step, { uploadId: upload.id });
        if (done) return { became: { 'Amber-Step': done.id }, bytes: upload.size ?? 0 };
        const meta = upload.metadata ?? {};
        if (meta.archive) {
          const pieceId = await this.archives.bringIn(join(this.uploadDir, upload.id), manager);
          return { became: { 'Amber-Piece': pieceId }, bytes: upload.size ?? 0 };
        }
        const sha256 = await this.blobs.putFile(join(this.uploadDir, upload.id), manager);
        const source = {
          sha256,
          name: printable(meta.filename, 200) || 'scan',
          setup: printable(meta.setup, 80) || 'Setup 1',
          uploadId: upload.id,
        };
        const operation = meta.operation || OPERATION_IDS.captureImport;
        const step = await this.steps.enqueue(pieceOf(meta), operation, paramsOf(meta), 1, source, manager);
        return { became: { 'Amber-Step': step.id }, bytes: upload.size ?? 0 };
      });
      await this.remove(upload.id);
      return finished;
    } catch (e) {
      const { status } = toProblem(e);
      if (status >= 400 && status < 500) await this.remove(upload.id);
      throw e;
    }
  }

  private async remove(id: string): Promise<void> {
    await rm(join(this.uploadDir, id), { force: true });
    await rm(join(this.uploadDir, `${id}.json`), { force: true });
  }
}

type Metadata = Record<string, string | null>;

/** A text without what can't be stored or shown: control characters and halves of characters. */
const printable = (text: string | null | undefined, longest: number): string =>
  (text ?? '')
    .replace(/[\p{Cc}\p{Cs}]/gu, '')
    .trim()
    .slice(0, longest);

function pieceOf(meta: Metadata): string {
  const id = meta.pieceId ?? '';
  if (/^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$/i.test(id)) return id;
  throw new GeometryError('invalid-parameter', 'The upload does not say which piece it belongs to (pieceId).');
}

/** Parameters that came with an upload. @throws GeometryError `invalid-parameter` if they are no JSON object */
function paramsOf(meta: Metadata): Record<string, unknown> {
  if (!meta.params) return meta.unit ? { unit: meta.unit } : {};
  try {
    const params: unknown = JSON.parse(meta.params);
    if (typeof params === 'object' && params !== null && !Array.isArray(params))
      return params as Record<string, unknown>;
  } catch {
    // Said below.
  }
  throw new GeometryError('invalid-parameter', 'The parameters that came with the upload are not a JSON object.');
}
