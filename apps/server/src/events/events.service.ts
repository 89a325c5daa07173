import { Injectable, Logger, type OnModuleDestroy, type OnModuleInit } from '@nestjs/common';
import pg from 'pg';
import { Subject } from 'rxjs';
import { DataSource } from 'typeorm';
import type { ServerEvent } from '@amber-knit/contracts';
import { Step } from '../database/entities.js';
import { CHANNELS } from '../steps/step-queue.js';
import { stepView } from '../steps/step-view.js';

/** Turns PostgreSQL notifications (from this server or any worker) into events for browsers. */
@Injectable()
export class EventsService implements OnModuleInit, OnModuleDestroy {
  readonly events = new Subject<ServerEvent>();
  private client?: pg.Client;
  private closed = false;
  private readonly log = new Logger(EventsService.name);

  constructor(private readonly db: DataSource) {}

  async onModuleInit(): Promise<void> {
    await this.listen();
  }

  async onModuleDestroy(): Promise<void> {
    this.closed = true;
    this.events.complete();
    await this.client?.end();
  }

  private async listen(): Promise<void> {
    const options = this.db.options as { url?: string };
    const client = new pg.Client({ connectionString: options.url });
    client.on('notification', (n) => {
      // An event that can't be told is no fault: browsers ask again when they connect anew.
      this.forward(n.channel, n.payload ?? '').catch((e: unknown) => {
        if (!this.closed) this.log.warn(`An event was not told: ${String(e)}`);
      });
    });
    client.on('error', () => {
      // The database went away: try again until it is back.
      if (!this.closed) setTimeout(() => void this.listen().catch(() => undefined), 1000);
    });
    await client.connect();
    await client.query(`LISTEN ${CHANNELS.step}; LISTEN ${CHANNELS.piece}`);
    this.client = client;
  }

  private async forward(channel: string, payload: string): Promise<void> {
    if (channel === CHANNELS.piece) this.events.next({ type: 'piece', pieceId: payload });
    else {
      const step = await this.db.manager.findOneBy(Step, { id: payload });
      if (step) this.events.next({ type: 'step', step: stepView(step) });
    }
  }
}
