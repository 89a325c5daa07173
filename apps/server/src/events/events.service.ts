import { Injectable, Logger, type OnModuleDestroy, type OnModuleInit } from '@nestjs/common';
import { defer, finalize, Subject, type Observable } from 'rxjs';
import { DataSource } from 'typeorm';
import type { WorkEvent } from '@amber-knit/contracts';
import { DatabaseListener } from '../database/database-listener.js';
import { Step } from '../database/entities.js';
import { CHANNELS } from '../steps/step-queue.js';
import { stepView } from '../steps/step-view.js';

/** Turns PostgreSQL notifications (from this server or any worker) into events for browsers. */
@Injectable()
export class EventsService implements OnModuleInit, OnModuleDestroy {
  readonly events = new Subject<WorkEvent>();
  private readonly listener: DatabaseListener;
  private closed = false;
  private last: Promise<void> = Promise.resolve();
  private readonly log = new Logger(EventsService.name);

  constructor(private readonly db: DataSource) {
    this.listener = new DatabaseListener((db.options as { url: string }).url, {
      channels: [CHANNELS.step, CHANNELS.piece],
      heard: (channel, payload) => {
        // One after the other: what is told later is never older. An event that can't be told is no fault: browsers ask anew.
        this.last = this.last
          .then(() => this.forward(channel, payload))
          .catch((e: unknown) => {
            if (this.closed) return;
            this.log.warn(`An event was not told: ${String(e)}`);
            this.events.next({ type: 'anew' });
          });
      },
      // What changed while the database could not be heard is not known: browsers ask for all they show.
      connected: (again) => again && this.events.next({ type: 'anew' }),
    });
  }

  /** Pages that listen; the server's own services do not count. */
  private pages = 0;

  listeners(): number {
    return this.pages;
  }

  onModuleInit(): Promise<void> {
    return this.listener.start();
  }

  async onModuleDestroy(): Promise<void> {
    this.closed = true;
    this.events.complete();
    await this.listener.stop();
  }

  /** All events for a page, counted for as long as it listens. */
  forPage(): Observable<WorkEvent> {
    return defer(() => {
      this.pages++;
      return this.events.pipe(finalize(() => this.pages--));
    });
  }

  private async forward(channel: string, payload: string): Promise<void> {
    if (channel === CHANNELS.piece) this.events.next({ type: 'piece', pieceId: payload });
    else {
      const step = await this.db.manager.findOneBy(Step, { id: payload });
      if (step) this.events.next({ type: 'step', step: stepView(step) });
    }
  }
}
