import type { IncomingMessage } from 'node:http';
import { parseCookie } from 'cookie';
import type { CookieOptions, NextFunction, Request, RequestHandler, Response } from 'express';
import { sendProblem } from '../problem.filter.js';
import { askedBy, type Asking } from './current-person.js';
import type { AccountsMode } from './rights.service.js';
import type { SessionsService } from './sessions.service.js';

export const SESSION_COOKIE = 'amber-session';

/** The cookie is for this server's calls alone; no program in a page can read it, and other sites' pages don't send it. */
export const cookieTerms = (request: Request): CookieOptions => ({
  httpOnly: true,
  sameSite: 'strict',
  secure: request.secure,
  path: '/api',
  maxAge: 30 * 86_400_000,
});

/** Whoever a request comes from, by its cookie; nobody without accounts. */
export async function whoAsks(
  headers: IncomingMessage['headers'],
  mode: AccountsMode,
  sessions: SessionsService,
): Promise<Asking> {
  const token = mode.on ? parseCookie(headers.cookie ?? '')[SESSION_COOKIE] : undefined;
  const holder = token ? await sessions.holder(token) : undefined;
  if (!holder) return { name: null };
  const { tokenHash, ...person } = holder;
  return { person, tokenHash, name: person.name };
}

/** Finds out who asks before anything else is looked at. */
export function knowWhoAsks(mode: AccountsMode, sessions: SessionsService): RequestHandler {
  return (request: Request, response: Response, next: NextFunction): void => {
    if (!mode.on || !request.path.startsWith('/api/')) return next();
    whoAsks(request.headers, mode, sessions).then(
      (who) => askedBy(who, next),
      (e: unknown) => sendProblem(response, e),
    );
  };
}
