import { randomUUID } from 'node:crypto';
import { createWriteStream } from 'node:fs';
import { mkdir, rm } from 'node:fs/promises';
import { join } from 'node:path';
import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import type { DataSource, EntityManager } from 'typeorm';
import { OPERATION_IDS } from '@amber-knit/operations';
import type { CaptureHolds, CaptureView, StepView } from '@amber-knit/contracts';
import { captureParts, decodeFrames, pictureZipParts } from '@amber-knit/core/stored';
import { GeometryError } from '@amber-knit/core/runtime';
import { Capture, CaptureFrame, Piece } from '../database/entities.js';
import type { PiecesService } from '../pieces/pieces.service.js';
import type { StepsService } from '../steps/steps.service.js';
import type { BlobStore } from '../storage/blob-store.js';
import type { DiskSpace } from '../storage/disk-space.js';

/** What a capture begins with. */
export interface CaptureStart {
  name: string;
  setup: string;
  deviceId: string;
  settings: Record<string, number>;
  /** Depth frames if absent. */
  holds?: CaptureHolds;
}

/** Keeps captures while they are made: frames come one by one and survive a closed page and a restarted server. */
export class CapturesService {
  constructor(
    private readonly db: DataSource,
    private readonly blobs: BlobStore,
    private readonly steps: StepsService,
    private readonly pieces: PiecesService,
    private readonly disk: DiskSpace,
    /** Where a capture is packed on its way into the store. */
    private readonly spoolDir: string,
  ) {}

  async begin(pieceId: string, start: CaptureStart): Promise<CaptureView> {
    await this.db.manager.findOneByOrFail(Piece, { id: pieceId });
    return this.view((await this.db.manager.save(this.db.manager.create(Capture, { pieceId, ...start }))).id);
  }

  /** Captures of a piece that are neither finished nor discarded, newest first. */
  async open(pieceId: string): Promise<CaptureView[]> {
    const list = await this.db.manager.find(Capture, {
      where: { pieceId, status: 'open' },
      order: { createdAt: 'DESC' },
    });
    return Promise.all(list.map((c) => this.view(c.id)));
  }

  async view(id: string): Promise<CaptureView> {
    const c = await this.db.manager.findOneByOrFail(Capture, { id });
    const [{ frames, next }] = (await this.db.query(
      `SELECT count(*) FILTER (WHERE NOT taken_back)::int AS frames, coalesce(max(sequence) + 1, 0)::int AS next
       FROM capture_frame WHERE capture_id = $1`,
      [id],
    )) as { frames: number; next: number }[];
    const { pieceId, name, setup, deviceId, settings, holds, status, stepId } = c;
    const createdAt = c.createdAt.toISOString();
    const about = { id, pieceId, name, setup, deviceId, settings, holds, status, stepId, createdAt };
    return { ...about, frames, nextSequence: next };
  }

  /** Keeps one frame or picture. The same number again changes nothing, so a browser may send it twice. */
  async keep(id: string, sequence: number, data: Buffer): Promise<void> {
    const { holds } = await this.openOrFail(id);
    if (holds === 'pictures') {
      if (!isPicture(data)) throw new GeometryError('corrupt-file', 'Send pictures one by one, each as PNG or JPEG.');
    } else if (decodeFrames(data).length !== 1) {
      throw new GeometryError('corrupt-file', 'Send frames one by one, each as a stored frame (docs/formats.md).');
    }
    await this.disk.assertRoomFor(data.length);
    await this.db.transaction(async (manager) => {
      // Whoever finishes it meanwhile waits for this frame, or this frame is told that it came too late.
      await this.openOrFail(id, manager, 'pessimistic_read');
      await manager.query(
        'INSERT INTO capture_frame (capture_id, sequence, data) VALUES ($1, $2, $3) ON CONFLICT DO NOTHING',
        [id, sequence, data],
      );
    });
  }

  /** Marks all frames from a number on as taken back. */
  async takeBack(id: string, from: number): Promise<CaptureView> {
    await this.openOrFail(id);
    await this.db.query('UPDATE capture_frame SET taken_back = true WHERE capture_id = $1 AND sequence >= $2', [
      id,
      from,
    ]);
    return this.view(id);
  }

  /** All frames that count, as the parts of one capture file; pictures as those of a zip. One is held at a time. */
  async *pack(id: string, manager: EntityManager = this.db.manager): AsyncGenerator<Uint8Array> {
    const c = await manager.findOneByOrFail(Capture, { id });
    const rows = (await manager.query(
      `SELECT sequence, length(data)::int AS length FROM capture_frame WHERE capture_id = $1 AND NOT taken_back ORDER BY sequence`,
      [id],
    )) as { sequence: number; length: number }[];
    const read = async (index: number): Promise<Buffer> => {
      const { sequence } = rows[index];
      return (await manager.findOneByOrFail(CaptureFrame, { captureId: id, sequence })).data;
    };
    if (c.holds === 'pictures') {
      yield* pictureZipParts(rows.length, async (i) => {
        const bytes = await read(i);
        return { name: bytes[0] === PNG[0] ? 'a.png' : 'a.jpg', bytes };
      });
    } else {
      const meta = { device: c.deviceId, setup: c.setup, settings: c.settings, sequences: rows.map((r) => r.sequence) };
      const lengths = rows.map((r) => r.length);
      yield* captureParts(lengths, read, meta);
    }
  }

  /**
   * Ends a capture and queues the step that makes a scan of it; asked again, it tells of the same step.
   * @param place queue a registration after it, if there are other scans to place it onto
   */
  async finish(id: string, params: Record<string, unknown>, place = false): Promise<StepView> {
    const before = await this.view(id);
    if (before.status === 'open' && before.frames === 0) {
      throw new GeometryError('empty-input', 'This capture holds no frame yet. Scan for a moment, or discard it.');
    }
    const file = join(this.spoolDir, randomUUID());
    await mkdir(this.spoolDir, { recursive: true });
    try {
      return await this.db.transaction(async (manager) => {
        // Asked four times at once, three wait here, and then find the step.
        const capture = await manager.findOneOrFail(Capture, { where: { id }, lock: { mode: 'pessimistic_write' } });
        if (capture.status === 'finished' && capture.stepId) return this.steps.get(capture.stepId, manager);
        assertOpen(capture);
        await pipeline(Readable.from(this.pack(id, manager)), createWriteStream(file, { flags: 'wx' }));
        const sha256 = await this.blobs.putFile(file, manager);
        const [operation, values] =
          capture.holds === 'pictures'
            ? [OPERATION_IDS.captureLineLaser, { name: capture.name, ...params }]
            : [OPERATION_IDS.captureLive, params];
        const source = { sha256, name: capture.name, setup: capture.setup };
        const step = await this.steps.enqueue(capture.pieceId, operation, values, 1, source, manager);
        await manager.update(Capture, id, { status: 'finished', stepId: step.id });
        if (place && (await this.pieces.view(capture.pieceId)).scans > 0)
          await this.steps.enqueue(capture.pieceId, OPERATION_IDS.registerAutomatic, {}, 1, undefined, manager);
        return step;
      });
    } finally {
      await rm(file, { force: true });
    }
  }

  /** Gives a capture up. Its frames stay in the database. */
  async discard(id: string): Promise<CaptureView> {
    await this.db.transaction(async (manager) => {
      await this.openOrFail(id, manager, 'pessimistic_write');
      await manager.update(Capture, id, { status: 'discarded' });
    });
    return this.view(id);
  }

  /** @throws GeometryError `invalid-parameter` if the capture takes nothing more */
  private async openOrFail(
    id: string,
    manager: EntityManager = this.db.manager,
    lock?: 'pessimistic_read' | 'pessimistic_write',
  ): Promise<Capture> {
    const capture = await manager.findOneOrFail(Capture, { where: { id }, ...(lock ? { lock: { mode: lock } } : {}) });
    assertOpen(capture);
    return capture;
  }
}

/** @throws GeometryError `invalid-parameter` if it is finished or discarded */
function assertOpen({ status }: Capture): void {
  if (status !== 'open')
    throw new GeometryError('invalid-parameter', `This capture is ${status} and takes no more frames.`);
}

const PNG = [0x89, 0x50, 0x4e, 0x47];
const JPEG = [0xff, 0xd8, 0xff];
/** Do bytes begin as those of a PNG or JPEG do. */
const isPicture = (data: Buffer): boolean => [PNG, JPEG].some((start) => start.every((b, i) => data[i] === b));
