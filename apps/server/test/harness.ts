import { mkdtempSync } from 'node:fs';
import { createServer } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import pg from 'pg';
import request from 'supertest';
import { Upload } from 'tus-js-client';
import type { NestExpressApplication } from '@nestjs/platform-express';
import type { PieceView, StepView } from '@amber-knit/contracts';
import { readPly, writeE57, writePly } from '@amber-knit/core/io';
import { fromTranslation } from '@amber-knit/core/math';
import { DataSource } from 'typeorm';
import { createApp } from '../src/create-app.js';
import { findViolations, type Violation } from '../src/check/invariants.js';
import { Housekeeping } from '../src/housekeeping/housekeeping.js';
import { PieceStore } from '../src/pieces/piece-store.js';
import { StepQueue } from '../src/steps/step-queue.js';
import { BlobStore } from '../src/storage/blob-store.js';
import { StepRunner } from '../src/worker/step-runner.js';
import { StepWorker } from '../src/worker/step-worker.js';

/** The real application on a real PostgreSQL, without a worker, with calls that tests share. */
export class Harness {
  private constructor(
    readonly app: NestExpressApplication,
    readonly base: string,
    readonly databaseUrl: string,
    readonly uploadDir: string,
  ) {}

  /** The same on a new database of its own, for tests that other workers would disturb. */
  static async startOnOwnDatabase(
    name: string,
    options: { keptFreeBytes?: number; accounts?: boolean } = {},
  ): Promise<Harness> {
    return Harness.start(await Harness.newDatabase(name), options);
  }

  /** An empty database beside the one the tests were given. @returns its URL */
  static async newDatabase(name: string): Promise<string> {
    const admin = new pg.Client({ connectionString: process.env.DATABASE_URL });
    await admin.connect();
    await admin.query(`DROP DATABASE IF EXISTS ${name}`);
    await admin.query(`CREATE DATABASE ${name}`);
    await admin.end();
    return process.env.DATABASE_URL!.replace(/\/[^/]*$/, `/${name}`);
  }

  static async start(
    databaseUrl: string,
    options: { devicesUrl?: string; keptFreeBytes?: number; accounts?: boolean; metricsToken?: string } = {},
  ): Promise<Harness> {
    const port = await new Promise<number>((resolve) => {
      const s = createServer().listen(0, '127.0.0.1', () => {
        const { port: p } = s.address() as { port: number };
        s.close(() => resolve(p));
      });
    });
    const uploadDir = mkdtempSync(join(tmpdir(), 'amber-up-'));
    const app = await createApp({
      databaseUrl,
      host: '127.0.0.1',
      allowedHosts: [],
      port,
      uploadDir,
      webDir: 'none',
      maxUploadBytes: 1e8,
      keptFreeBytes: options.keptFreeBytes ?? 0,
      devicesUrl: options.devicesUrl ?? 'http://127.0.0.1:9',
      sharedPort: 0,
      sharedHost: '127.0.0.1',
      sharedOrigin: '',
      accounts: options.accounts ?? false,
      metricsToken: options.metricsToken ?? '',
    });
    await app.listen(port, '127.0.0.1');
    return new Harness(app, `http://127.0.0.1:${port}`, databaseUrl, uploadDir);
  }

  /** Takes steps from the queue, as a worker process does, until the returned call. Threads run built code. */
  async work(): Promise<{ runner: StepRunner; stop: () => Promise<void> }> {
    const { app } = this;
    const queue = app.get(StepQueue);
    const runner = new StepRunner(
      app.get(DataSource),
      app.get(BlobStore),
      app.get(PieceStore),
      queue,
      // Raw TypeScript can't be a worker entry.
      new URL('../dist/worker/thread.js', import.meta.url),
      mkdtempSync(join(tmpdir(), 'amber-read-')),
    );
    const worker = new StepWorker((app.get(DataSource).options as { url: string }).url, queue, runner);
    await worker.start();
    return { runner, stop: () => worker.stop() };
  }

  /** What is wrong with what is stored, as `amberknit check` would say. */
  violations(repair = false): Promise<Violation[]> {
    const [db, blobs] = [this.app.get(DataSource), this.app.get(BlobStore)];
    const housekeeping = new Housekeeping(db, blobs, this.uploadDir);
    return findViolations({ db, blobs, queue: this.app.get(StepQueue), housekeeping }, repair);
  }

  http() {
    return request(this.base);
  }

  async newPiece(name = 'Test piece'): Promise<PieceView> {
    return (await this.http().post('/api/pieces').send({ name }).expect(201)).body as PieceView;
  }

  async piece(id: string): Promise<PieceView> {
    return (await this.http().get(`/api/pieces/${id}`).expect(200)).body as PieceView;
  }

  /** A new piece of two scans, "left" and "right", the second 70 mm beside the first; both are placed. */
  async placedPair(): Promise<PieceView> {
    const { id } = await this.newPiece();
    const { positions } = readPly(scanFile(3000));
    const e57 = writeE57([
      { name: 'left', cloud: { positions }, pieceFromScan: fromTranslation(0, 0, 0) },
      { name: 'right', cloud: { positions }, pieceFromScan: fromTranslation(70, 0, 0) },
    ]);
    await this.finished(await this.upload(id, 'both.e57', e57));
    return this.piece(id);
  }

  /** Sends a file in parts. @returns the step that checks it */
  upload(pieceId: string, name: string, bytes: Uint8Array, about: Record<string, string> = {}): Promise<string> {
    return new Promise((resolve, reject) => {
      new Upload(Buffer.from(bytes), {
        endpoint: `${this.base}/api/uploads`,
        metadata: { filename: name, pieceId, setup: 'Upright', ...about },
        chunkSize: 100_000,
        retryDelays: [],
        onError: reject,
        onSuccess: ({ lastResponse }) => resolve(lastResponse.getHeader('Amber-Step') ?? ''),
      }).start();
    });
  }

  async enqueue(pieceId: string, operationId: string, params: object = {}, seed = 1): Promise<StepView> {
    return (await this.http().post(`/api/pieces/${pieceId}/steps`).send({ operationId, params, seed }).expect(202))
      .body as StepView;
  }

  async step(id: string): Promise<StepView> {
    return (await this.http().get(`/api/steps/${id}`)).body as StepView;
  }

  /** Waits until a step is as wanted. @throws Error after five minutes */
  async until(stepId: string, wanted: (s: StepView) => boolean): Promise<StepView> {
    for (let i = 0; i < 6000; i++) {
      const step = await this.step(stepId);
      if (wanted(step)) return step;
      await new Promise((r) => setTimeout(r, 50));
    }
    throw new Error(`The step did not get there: ${JSON.stringify(await this.step(stepId))}`);
  }

  finished(stepId: string): Promise<StepView> {
    return this.until(stepId, (s) => s.status !== 'queued' && s.status !== 'running');
  }
}

/** A bumpy half ball seen from the origin. */
export function scanFile(points = 20_000): Uint8Array {
  const positions: number[] = [];
  for (let i = 0; i < points; i++) {
    const z = -(i + 0.5) / points;
    const phi = i * Math.PI * (3 - Math.sqrt(5));
    const r = Math.sqrt(1 - z * z) * 40 * (1 + 0.1 * Math.sin(3 * phi));
    positions.push(r * Math.cos(phi), r * Math.sin(phi), 300 + 40 * z);
  }
  return writePly({ positions: Float32Array.from(positions) });
}
