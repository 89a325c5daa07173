import { Controller, Sse, type MessageEvent } from '@nestjs/common';
import { ApiOperation, ApiTags } from '@nestjs/swagger';
import { concatMap, interval, map, merge, takeWhile, type Observable } from 'rxjs';
import type { ServerEvent } from '@amber-knit/contracts';
import { currentSession } from '../accounts/current-person.js';
import { Needs } from '../accounts/rights.js';
import { SessionsService } from '../accounts/sessions.service.js';
import { PresenceService } from '../presence/presence.service.js';
import { EventsService } from './events.service.js';

const ALIVE_MS = 15_000;
/** The last that is told to whoever is no longer signed in. */
const SIGNED_OUT: MessageEvent = { data: { type: 'signed-out' } satisfies ServerEvent };

@ApiTags('Events')
@Controller('api/events')
export class EventsController {
  constructor(
    private readonly service: EventsService,
    private readonly sessions: SessionsService,
    private readonly presence: PresenceService,
  ) {}

  /**
   * Server-sent events rather than a WebSocket: all traffic goes one way, and browsers reconnect by themselves.
   */
  @Sse()
  @Needs('use')
  @ApiOperation({ summary: 'Progress and changes, as server-sent events' })
  stream(): Observable<MessageEvent> {
    const session = currentSession();
    const alive = interval(ALIVE_MS).pipe(
      concatMap(async () => !session || (await this.sessions.isOpen(session).catch(() => true))),
      map((open) => (open ? { type: 'alive', data: '' } : SIGNED_OUT)),
    );
    const told = merge(this.service.forPage(), this.presence.changes).pipe(map((event) => ({ data: event })));
    return merge(told, alive).pipe(takeWhile((message: MessageEvent) => message !== SIGNED_OUT, true));
  }
}
