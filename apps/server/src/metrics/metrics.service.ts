import { Injectable } from '@nestjs/common';
import type { NextFunction, Request, RequestHandler, Response } from 'express';
import { collectDefaultMetrics, Gauge, Histogram, Registry } from 'prom-client';
import { DataSource } from 'typeorm';
import { EventsService } from '../events/events.service.js';
import { routePattern } from '../http/route-pattern.js';
import { DiskSpace } from '../storage/disk-space.js';

/** Bounds of the times of requests, s: what must be reached under load is 0.2 for reading and 0.4 for writing. */
const BOUNDS = [0.01, 0.05, 0.1, 0.2, 0.4, 1, 5];

/** Figures of the server for whoever watches it, in the text format of Prometheus (version 0.0.4). */
@Injectable()
export class MetricsService {
  private readonly registry = new Registry();
  private readonly requests = new Histogram({
    name: 'amber_request_seconds',
    help: 'Time until a request was answered, by the pattern of its address.',
    labelNames: ['method', 'route', 'status'],
    buckets: BOUNDS,
    registers: [this.registry],
  });

  constructor(
    private readonly db: DataSource,
    private readonly events: EventsService,
    private readonly disk: DiskSpace,
  ) {
    collectDefaultMetrics({ register: this.registry });
    this.ofTable(
      'amber_steps',
      'Steps by how they stand.',
      'status',
      `SELECT status AS label, count(*) AS n FROM step GROUP BY 1`,
    );
    this.ofTable(
      'amber_step_seconds',
      'Time that workers spent on finished steps, by operation.',
      'operation',
      `SELECT operation_id AS label, sum(extract(epoch FROM finished_at - started_at)) AS n FROM step
       WHERE started_at IS NOT NULL AND finished_at IS NOT NULL GROUP BY 1`,
    );
    this.ofTable(
      'amber_oldest_queued_seconds',
      'How long the step has waited that waits longest.',
      null,
      `SELECT coalesce(extract(epoch FROM now() - min(created_at)), 0) AS n FROM step WHERE status = 'queued'`,
    );
    this.ofTable('amber_pieces', 'Pieces, those put away too.', null, 'SELECT count(*) AS n FROM piece');
    this.ofTable('amber_stored_bytes', 'Bytes of all blobs.', null, 'SELECT coalesce(sum(bytes), 0) AS n FROM blob');
    this.gauge('amber_listeners', 'Pages that listen to events.', () => this.events.listeners());
    this.gauge('amber_disk_free_bytes', 'Room on the disk of unfinished uploads.', () => this.disk.free());
  }

  /** The media type of the text. */
  get contentType(): string {
    return this.registry.contentType;
  }

  text(): Promise<string> {
    return this.registry.metrics();
  }

  /** Times every request that comes to its end. */
  watch(): RequestHandler {
    return (request: Request, response: Response, next: NextFunction): void => {
      const ended = this.requests.startTimer({ method: request.method });
      response.on('finish', () => {
        const route = routePattern(request);
        // Streams of events last as long as their page.
        if (route !== '/api/events') ended({ route, status: response.statusCode });
      });
      next();
    };
  }

  private gauge(name: string, help: string, value: () => number | Promise<number>): void {
    new Gauge({
      name,
      help,
      registers: [this.registry],
      async collect() {
        this.set(await value());
      },
    });
  }

  /** A figure that the database tells: one value, or one for each label. */
  private ofTable(name: string, help: string, label: string | null, sql: string): void {
    const { db } = this;
    new Gauge({
      name,
      help,
      labelNames: label ? [label] : [],
      registers: [this.registry],
      async collect() {
        const rows = (await db.query(sql)) as { label: string; n: string }[];
        this.reset();
        for (const row of rows) this.set(label ? { [label]: row.label } : {}, Number(row.n));
      },
    });
  }
}
