import { Injectable, type OnModuleDestroy, type OnModuleInit } from '@nestjs/common';
import { Subject } from 'rxjs';
import type { HereEvent, PersonHere, PersonName, Stage } from '@amber-knit/contracts';

/** Whoever is not heard of for so long has gone; pages tell twice as often. */
const SILENT_MS = 45_000;
const SWEEP_MS = 10_000;

/** Who has which piece open. Nothing of it is stored: a page that is open says so again and again. */
@Injectable()
export class PresenceService implements OnModuleInit, OnModuleDestroy {
  readonly changes = new Subject<HereEvent>();
  private readonly pieces = new Map<string, Map<string, PersonHere & { heardAt: number }>>();
  private timer?: NodeJS.Timeout;

  onModuleInit(): void {
    this.timer = setInterval(() => this.forgetSilent(Date.now()), SWEEP_MS);
    this.timer.unref();
  }

  onModuleDestroy(): void {
    clearInterval(this.timer);
    this.changes.complete();
  }

  /** @returns everybody who is at the piece, in the order of their names */
  list(pieceId: string): PersonHere[] {
    return [...(this.pieces.get(pieceId)?.values() ?? [])]
      .map(({ id, name, stage }) => ({ id, name, stage }))
      .sort((a, b) => a.name.localeCompare(b.name));
  }

  comes(pieceId: string, { id, name }: PersonName, stage: Stage | null, now = Date.now()): void {
    const here = this.pieces.get(pieceId) ?? new Map<string, PersonHere & { heardAt: number }>();
    const before = here.get(id);
    here.set(id, { id, name, stage, heardAt: now });
    this.pieces.set(pieceId, here);
    if (before?.stage !== stage) this.tell(pieceId);
  }

  goes(pieceId: string, personId: string): void {
    if (this.pieces.get(pieceId)?.delete(personId)) this.tell(pieceId);
  }

  /** Whoever closed the browser, or lost the network, says nothing more. */
  forgetSilent(now: number): void {
    for (const [pieceId, here] of this.pieces) {
      for (const person of [...here.values()]) if (now - person.heardAt > SILENT_MS) this.goes(pieceId, person.id);
      if (here.size === 0) this.pieces.delete(pieceId);
    }
  }

  private tell(pieceId: string): void {
    this.changes.next({ type: 'here', pieceId, people: this.list(pieceId) });
  }
}
