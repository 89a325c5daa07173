import { Injectable } from '@nestjs/common';
import { DataSource } from 'typeorm';
import type { CaptureHolds, CaptureView, StepView } from '@amber-knit/contracts';
import { decodeFrames, encodeCapture, encodePictureZip } from '@amber-knit/core/stored';
import { GeometryError } from '@amber-knit/core/runtime';
import { Capture, CaptureFrame, Piece } from '../database/entities.js';
import { PiecesService } from '../pieces/pieces.service.js';
import { StepsService } from '../steps/steps.service.js';
import { BlobStore } from '../storage/blob-store.js';

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
@Injectable()
export class CapturesService {
  constructor(
    private readonly db: DataSource,
    private readonly blobs: BlobStore,
    private readonly steps: StepsService,
    private readonly pieces: PiecesService,
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
    await this.db.query(
      'INSERT INTO capture_frame (capture_id, sequence, data) VALUES ($1, $2, $3) ON CONFLICT DO NOTHING',
      [id, sequence, data],
    );
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

  /** All frames that count, packed as one capture file; pictures as a zip of numbered pictures. */
  async pack(id: string): Promise<Uint8Array> {
    const c = await this.view(id);
    const rows = await this.db.manager.find(CaptureFrame, {
      where: { captureId: id, takenBack: false },
      order: { sequence: 'ASC' },
    });
    if (c.holds === 'pictures')
      return encodePictureZip(rows.map(({ data }) => ({ name: data[0] === PNG[0] ? 'a.png' : 'a.jpg', bytes: data })));
    const meta = { device: c.deviceId, setup: c.setup, settings: c.settings, sequences: rows.map((r) => r.sequence) };
    return encodeCapture(
      rows.map((r) => r.data),
      meta,
    );
  }

  /**
   * Ends a capture and queues the step that makes a scan of it.
   * @param place queue a registration after it, if there are other scans to place it onto
   */
  async finish(id: string, params: Record<string, unknown>, place = false): Promise<StepView> {
    const capture = await this.openOrFail(id);
    if ((await this.view(id)).frames === 0) {
      throw new GeometryError('empty-input', 'This capture holds no frame yet. Scan for a moment, or discard it.');
    }
    const sha256 = await this.blobs.put(await this.pack(id));
    const [operation, values] =
      capture.holds === 'pictures'
        ? ['capture.line-laser', { name: capture.name, ...params }]
        : ['capture.live', params];
    const step = await this.steps.enqueue(capture.pieceId, operation, values, 1, {
      sha256,
      name: capture.name,
      setup: capture.setup,
    });
    await this.db.manager.update(Capture, id, { status: 'finished', stepId: step.id });
    if (place && (await this.pieces.view(capture.pieceId)).scans > 0) {
      await this.steps.enqueue(capture.pieceId, 'register.automatic', {}, 1);
    }
    return step;
  }

  /** Gives a capture up. Its frames stay in the database. */
  async discard(id: string): Promise<CaptureView> {
    await this.openOrFail(id);
    await this.db.manager.update(Capture, id, { status: 'discarded' });
    return this.view(id);
  }

  private async openOrFail(id: string): Promise<Capture> {
    const capture = await this.db.manager.findOneByOrFail(Capture, { id });
    if (capture.status !== 'open') {
      throw new GeometryError('invalid-parameter', `This capture is ${capture.status} and takes no more frames.`);
    }
    return capture;
  }
}

const PNG = [0x89, 0x50, 0x4e, 0x47];
const JPEG = [0xff, 0xd8, 0xff];
/** Do bytes begin as those of a PNG or JPEG do. */
const isPicture = (data: Buffer): boolean => [PNG, JPEG].some((start) => start.every((b, i) => data[i] === b));
