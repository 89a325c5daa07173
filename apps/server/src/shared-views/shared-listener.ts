import { createServer, type IncomingMessage, type RequestListener, type Server } from 'node:http';
import { once } from 'node:events';
import type { NestExpressApplication } from '@nestjs/platform-express';
import type { Problem } from '@amber-knit/contracts';
import type { ServerConfig } from '../config.js';
import { sayReady } from '../log/log.js';

/** Addresses of the pages of shared views. */
export const isSharedPage = (path: string): boolean => /^\/s\/[^/]+\/?$/.test(path);

/** Search engines stay out, and what the page shows first is on its way while its program is. */
export function sharedPageHeaders(path: string): Record<string, string> {
  const token = encodeURIComponent(path.split('/')[2]);
  const first = [`</api/shared/${token}>; rel=preload; as=fetch; crossorigin`];
  return {
    'X-Robots-Tag': 'noindex',
    Link: [...first, `</api/shared/${token}/data/picture>; rel=preload; as=image`].join(', '),
  };
}

/** What such a page fetches: itself, the files of the browser part, and what its token opens. */
const READ = /^\/(s\/[\w-]+\/?|assets\/[\w.-]+|icon\.svg|api\/shared\/[\w-]+(\/(data\/[a-z]+|files\/\d+))?)$/;
const WRITE = /^\/api\/shared\/[\w-]+\/open$/;

/** Whether a request is one that a shared view makes. Addresses that are written in any roundabout way are not. */
export function isForSharedViews({ method, url = '' }: Pick<IncomingMessage, 'method' | 'url'>): boolean {
  const [path] = url.split('?');
  return method === 'POST' ? WRITE.test(path) : (method === 'GET' || method === 'HEAD') && READ.test(path);
}

/** Answers what shared views ask for, and all else with 404, whatever it is. */
export function sharedOnly(handle: RequestListener): RequestListener {
  return (request, response) => {
    if (isForSharedViews(request)) return handle(request, response);
    const problem: Problem = { type: 'about:blank', title: 'Not found', status: 404, detail: 'There is nothing here.' };
    response.writeHead(404, { 'Content-Type': 'application/problem+json' }).end(JSON.stringify(problem));
  };
}

/**
 * Serves shared views, and nothing else, at an address of their own: that one may be reached from outside while the rest of
 * the server stays where it is.
 */
export async function listenForSharedViews(app: NestExpressApplication, config: ServerConfig): Promise<Server> {
  const server = createServer(sharedOnly(app.getHttpAdapter().getInstance() as RequestListener));
  server.listen(config.sharedPort, config.sharedHost);
  await once(server, 'listening');
  sayReady(`Shared views on http://${config.sharedHost}:${config.sharedPort}`);
  return server;
}
