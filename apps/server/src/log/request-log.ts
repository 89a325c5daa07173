import { randomUUID } from 'node:crypto';
import type { NextFunction, Request, RequestHandler, Response } from 'express';
import type { Logger } from 'pino';
import { routePattern } from '../http/route-pattern.js';
import { forRequest } from './log.js';

/** What a proxy may have called the request already. */
const ID = /^[\w.-]{8,64}$/;

/**
 * Gives each request an id, which is answered with and goes along into all that is logged for it, and logs its end: method,
 * route, status, time. Routes are told by their pattern: addresses of shared views are secrets, as bodies and headers are.
 */
export function logRequests(log: Logger): RequestHandler {
  return (request: Request, response: Response, next: NextFunction): void => {
    const asked = request.headers['x-request-id'];
    const id = typeof asked === 'string' && ID.test(asked) ? asked : randomUUID();
    response.setHeader('X-Request-Id', id);
    const begun = performance.now();
    response.on('finish', () => {
      log.info(
        {
          request: id,
          method: request.method,
          route: routePattern(request),
          status: response.statusCode,
          ms: Math.round(performance.now() - begun),
        },
        'answered',
      );
    });
    forRequest(id, next);
  };
}
