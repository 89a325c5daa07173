import { Catch, HttpException, type ArgumentsHost, type ExceptionFilter } from '@nestjs/common';
import type { Response } from 'express';
import { EntityNotFoundError, QueryFailedError } from 'typeorm';
import { GeometryError, type GeometryErrorCode } from '@amber-knit/core/runtime';
import type { Problem } from '@amber-knit/contracts';
import { isConnectionFault } from './database/connection-fault.js';
import { log } from './log/log.js';
import { DISK_FULL, DiskFullError, isDiskFull } from './storage/disk-space.js';

const STATUS: Record<GeometryErrorCode, number> = {
  'empty-input': 422,
  'corrupt-file': 422,
  'unsupported-format': 415,
  'not-manifold': 422,
  degenerate: 422,
  'too-large': 413,
  'invalid-parameter': 400,
  'unit-doubtful': 422,
  cancelled: 409,
};

/** SQLSTATE class 22, data exception: a number out of range, a character that no text may hold (PostgreSQL, appendix A). */
const UNSTORABLE = 'A number is too large, or a text holds a character that cannot be stored.';

/** Any thrown value as RFC 9457 problem details. Unexpected ones tell nothing about the server's inside. */
export function toProblem(e: unknown): Problem {
  if (e instanceof GeometryError) {
    return {
      type: `urn:amber-knit:${e.code}`,
      title: e.code.replace(/-/g, ' '),
      status: STATUS[e.code],
      detail: e.message,
      code: e.code,
    };
  }
  if (e instanceof HttpException) {
    const body = e.getResponse();
    const message = typeof body === 'object' && 'message' in body ? (body.message as string | string[]) : e.message;
    return {
      type: 'about:blank',
      title: e.name.replace(/Exception$/, ''),
      status: e.getStatus(),
      detail: Array.isArray(message) ? message.join('; ') : message,
    };
  }
  if (
    e instanceof EntityNotFoundError ||
    (e instanceof QueryFailedError && /invalid input syntax for type uuid/.test(e.message))
  ) {
    return { type: 'about:blank', title: 'Not found', status: 404, detail: 'There is nothing with this id.' };
  }
  if (isDiskFull(e)) {
    const detail = e instanceof DiskFullError ? e.message : DISK_FULL;
    return { type: 'about:blank', title: 'Insufficient storage', status: 507, detail };
  }
  if (isConnectionFault(e)) {
    return {
      type: 'about:blank',
      title: 'Service unavailable',
      status: 503,
      detail: 'The database is away for a moment. Nothing was changed; try again shortly.',
    };
  }
  if (e instanceof QueryFailedError && /^22/.test((e.driverError as { code?: string }).code ?? '')) {
    return { type: 'about:blank', title: 'Bad Request', status: 400, detail: UNSTORABLE };
  }
  return {
    type: 'about:blank',
    title: 'Internal error',
    status: 500,
    detail: 'Something went wrong on the server. Nothing was changed; try again.',
  };
}

@Catch()
export class ProblemFilter implements ExceptionFilter {
  catch(e: unknown, host: ArgumentsHost): void {
    sendProblem(host.switchToHttp().getResponse<Response>(), e);
  }
}

/** Answers with what went wrong. */
export function sendProblem(response: Response, e: unknown): void {
  const problem = toProblem(e);
  if (problem.status === 500) log.error({ err: e }, 'A request failed.');
  if (response.headersSent) {
    response.end();
    return;
  }
  response.status(problem.status).type('application/problem+json').send(JSON.stringify(problem));
}
