import { setTimeout as sleep } from 'node:timers/promises';

/** SQLSTATE classes and codes of a database that is away: connection faults, shutting down, starting up, too many clients. */
const STATES = /^(08...|57P0[1-3]|53300)$/;
const ERRNOS = new Set(['ECONNREFUSED', 'ECONNRESET', 'EPIPE', 'ETIMEDOUT', 'ENOTFOUND', 'EAI_AGAIN']);
/** What the driver and the mapper say of a connection that ended, without a code: the latter gives its runner up then. */
const WORDS =
  /Connection terminated|not queryable|already released|Client was closed|timeout exceeded when trying to connect|Driver not Connected/i;

/**
 * Whether the database was away, as against having refused something: the same call may go through in a moment.
 * Source of the codes: PostgreSQL documentation, appendix A.
 */
export function isConnectionFault(e: unknown): boolean {
  if (!(e instanceof Error)) return false;
  const driverError = (e as { driverError?: unknown }).driverError;
  if (driverError && driverError !== e && isConnectionFault(driverError)) return true;
  if (e instanceof AggregateError && e.errors.some(isConnectionFault)) return true;
  const code = (e as { code?: unknown }).code;
  if (typeof code === 'string' && (STATES.test(code) || ERRNOS.has(code))) return true;
  return WORDS.test(e.message);
}

/**
 * Does something with the database, again and again while that is away, with growing waits of at most two seconds. What is
 * done must be safe to repeat: it may have gone through though the answer was lost.
 * @param goOn is asked before each further try
 * @throws Error what was thrown last, if it is no connection fault or `goOn` says no
 */
export async function onceReachable<T>(act: () => Promise<T>, goOn: () => boolean = () => true): Promise<T> {
  for (let waitMs = 100; ; waitMs = Math.min(2000, 2 * waitMs)) {
    try {
      return await act();
    } catch (e) {
      if (!isConnectionFault(e) || !goOn()) throw e;
      await sleep(waitMs);
    }
  }
}
