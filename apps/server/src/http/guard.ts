import type { NextFunction, Request, RequestHandler, Response } from 'express';
import helmet from 'helmet';
import { foreignRequest } from '@amber-knit/origins';
import type { Problem } from '@amber-knit/contracts';

/** Paths whose bodies are plain bytes; all others take JSON. */
const BYTES = /^\/api\/(uploads(\/|$)|captures\/[^/]+\/frames\/|pieces\/[^/]+\/selections\/)/;
const DEEPEST = 40;
/** Pages that bring their styles along: the documentation, and reports, which must look the same as a file of their own. */
const STYLED = /^\/api\/(docs|pieces\/[^/]+\/report$)/;

/** What the browser may load and who may show our pages: our own origin only, and no script or style written into a page. */
export function securityHeaders(): RequestHandler {
  const headers = (inlineStyles: boolean): RequestHandler =>
    helmet({
      contentSecurityPolicy: {
        useDefaults: false,
        directives: {
          defaultSrc: ["'self'"],
          // Compiled computation (WebAssembly) is code of ours.
          scriptSrc: ["'self'", "'wasm-unsafe-eval'"],
          styleSrc: inlineStyles ? ["'self'", "'unsafe-inline'"] : ["'self'"],
          imgSrc: ["'self'", 'blob:', 'data:'],
          // A video of a line-laser turn is played from the file the person chose.
          mediaSrc: ["'self'", 'blob:'],
          fontSrc: ["'self'", 'data:'],
          connectSrc: ["'self'", 'blob:', 'data:'],
          workerSrc: ["'self'", 'blob:'],
          objectSrc: ["'none'"],
          baseUri: ["'none'"],
          formAction: ["'self'"],
          frameAncestors: ["'none'"],
        },
      },
      // Shared memory in pages needs both.
      crossOriginOpenerPolicy: { policy: 'same-origin' },
      crossOriginEmbedderPolicy: { policy: 'require-corp' },
      crossOriginResourcePolicy: { policy: 'same-origin' },
      // It is for whoever adds TLS in front to say so.
      strictTransportSecurity: false,
    });
  const [ours, styled] = [headers(false), headers(true)];
  return (request, response, next) => (STYLED.test(request.path) ? styled : ours)(request, response, next);
}

/**
 * Turns away requests that pages of other sites make browsers send, and bodies that are not JSON where JSON is wanted.
 * @param hosts names that this server goes by besides `localhost` and addresses in numbers
 */
export function ownRequestsOnly(hosts: readonly string[]): RequestHandler {
  return (request, response, next) => {
    const changes = !['GET', 'HEAD', 'OPTIONS'].includes(request.method);
    const foreign = foreignRequest(request.headers, hosts, changes);
    if (foreign === 'host') {
      return refuse(
        response,
        421,
        'Misdirected request',
        'This server is not known by that name. Use its address, or name it in ALLOWED_HOSTS.',
      );
    }
    if (foreign === 'origin') {
      return refuse(response, 403, 'Forbidden', 'Pages of other sites may not ask this server for anything.');
    }
    const hasBody = Number(request.headers['content-length'] ?? 0) > 0 || 'transfer-encoding' in request.headers;
    if (
      changes &&
      hasBody &&
      request.path.startsWith('/api') &&
      !BYTES.test(request.path) &&
      !request.is('application/json')
    ) {
      return refuse(response, 415, 'Unsupported media type', 'Send JSON, with the content type application/json.');
    }
    next();
  };
}

/** Refuses texts that can't be stored (NUL, halves of characters) and bodies nested beyond all need; no body is an empty one. */
export function storableTextsOnly(request: Request, response: Response, next: NextFunction): void {
  const parts = request.originalUrl.split(/[/?&=]/);
  const body: unknown = request.body;
  const fault = parts.some((p) => !isStorable(decoded(p)))
    ? 'The address holds a character that cannot be stored.'
    : Buffer.isBuffer(body)
      ? undefined
      : faultIn(body, 0);
  if (fault) return refuse(response, 400, 'Bad request', fault);
  if (body === undefined) request.body = {};
  next();
}

/** A part of an address as it is meant; one that is wrongly written stands for itself with a NUL. */
function decoded(part: string): string {
  try {
    return decodeURIComponent(part);
  } catch {
    return '\0';
  }
}

const isStorable = (text: string): boolean => !/[\0\p{Cs}]/u.test(text);

function faultIn(value: unknown, depth: number): string | undefined {
  if (depth > DEEPEST) return 'The request is nested too deeply.';
  if (typeof value === 'string')
    return isStorable(value) ? undefined : 'A text holds a character that cannot be stored.';
  if (typeof value !== 'object' || value === null) return undefined;
  for (const [key, v] of Object.entries(value)) {
    const fault = Array.isArray(value) ? faultIn(v, depth + 1) : (faultIn(key, depth + 1) ?? faultIn(v, depth + 1));
    if (fault) return fault;
  }
  return undefined;
}

function refuse(response: Response, status: number, title: string, detail: string): void {
  const problem: Problem = { type: 'about:blank', title, status, detail };
  response.status(status).type('application/problem+json').send(JSON.stringify(problem));
}
