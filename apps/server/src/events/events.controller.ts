import { Controller, Sse, type MessageEvent } from '@nestjs/common';
import { ApiOperation, ApiTags } from '@nestjs/swagger';
import { interval, map, merge, type Observable } from 'rxjs';
import { EventsService } from './events.service.js';

@ApiTags('Events')
@Controller('api/events')
export class EventsController {
  constructor(private readonly service: EventsService) {}

  /**
   * Server-sent events rather than a WebSocket: all traffic goes one way, and browsers reconnect by themselves.
   */
  @Sse()
  @ApiOperation({ summary: 'Progress and changes, as server-sent events' })
  stream(): Observable<MessageEvent> {
    return merge(
      this.service.events.pipe(map((event) => ({ data: event }))),
      interval(15_000).pipe(map(() => ({ type: 'alive', data: '' }))),
    );
  }
}
