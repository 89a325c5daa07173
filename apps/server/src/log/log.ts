import { AsyncLocalStorage } from 'node:async_hooks';
import { pino, type DestinationStream, type Logger } from 'pino';

/** The request that something is done for, if it is done for one. */
const request = new AsyncLocalStorage<string>();

/** Does something for a request: what is logged meanwhile names it. */
export const forRequest = <T>(id: string, work: () => T): T => request.run(id, work);

/**
 * What a server and its workers tell of themselves. `LOG=json`: a line of JSON for each request, step and fault, as programs that
 * gather logs want them. Else faults alone, in words, for whoever looks at the terminal.
 */
export function makeLog(env: NodeJS.ProcessEnv = process.env, to?: DestinationStream): Logger {
  const asJson = env.LOG === 'json';
  return pino(
    {
      level: asJson ? 'info' : 'error',
      base: { pid: process.pid },
      timestamp: pino.stdTimeFunctions.isoTime,
      formatters: { level: (label) => ({ level: label }) },
      mixin: () => ({ request: request.getStore() }),
    },
    to ?? (asJson ? pino.destination({ sync: true }) : { write: (line) => console.error(inWords(line)) }),
  );
}

function inWords(line: string): string {
  const { msg, err } = JSON.parse(line) as { msg: string; err?: { stack?: string } };
  return err?.stack ? `${msg} ${err.stack}` : msg;
}

export const log = makeLog();

/** Tells whoever started it that it is ready. */
export function sayReady(text: string): void {
  if (process.env.LOG === 'json') log.info(text);
  else console.log(text);
}
