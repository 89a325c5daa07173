import { request as httpRequest, type IncomingMessage, type Server } from 'node:http';
import type { Duplex } from 'node:stream';
import type { NextFunction, Request, Response } from 'express';
import type { DeviceList } from '@amber-knit/contracts';
import { foreignRequest } from '@amber-knit/origins';
import type { ServerConfig } from '../config.js';

export const DEVICES_PATH = '/api/devices';
/** Pieces of data that a client may send before the device has answered. */
const MOST_EARLY = 16;

/** Answers `GET /api/devices` with what the device service offers; an empty list with a reason if it is silent. */
export function deviceListHandler(devicesUrl: string) {
  return (request: Request, response: Response, next: NextFunction): void => {
    if (request.method !== 'GET' || request.path !== DEVICES_PATH) return next();
    fetch(new URL('/devices', devicesUrl), { signal: AbortSignal.timeout(3000) })
      .then(async (answer) => {
        const { devices } = (await answer.json()) as DeviceList;
        response.json({ devices } satisfies DeviceList);
      })
      .catch(() => {
        const reason = 'The device service does not answer. Start it with ./start, or check DEVICES_URL.';
        response.json({ devices: [], reason } satisfies DeviceList);
      });
  };
}

/**
 * Hands WebSockets at `/api/devices/<id>` through to the device service, so that a browser needs one address only.
 * Pages of other origins are turned away. Either side may go away at any moment: the other is then closed.
 */
export function relayDevices(
  server: Server,
  { devicesUrl, allowedHosts }: Pick<ServerConfig, 'devicesUrl' | 'allowedHosts'>,
  /** Whether whoever asks may use devices. */
  admits: (request: IncomingMessage) => Promise<boolean> = () => Promise.resolve(true),
): void {
  server.on('upgrade', (request: IncomingMessage, socket: Duplex, head: Buffer) => {
    // An error without a listener would end the process; `close` follows every one.
    socket.on('error', () => undefined);
    const id = new RegExp(`^${DEVICES_PATH}/([\\w-]+)$`).exec(request.url ?? '')?.[1];
    if (!id || foreignRequest(request.headers, allowedHosts, true)) {
      socket.end(`HTTP/1.1 ${id ? '403 Forbidden' : '404 Not Found'}\r\n\r\n`);
      return;
    }
    admits(request).then(
      (may) =>
        may ? handThrough(id, request, socket, head, devicesUrl) : socket.end('HTTP/1.1 401 Unauthorized\r\n\r\n'),
      () => socket.end('HTTP/1.1 503 Service Unavailable\r\n\r\n'),
    );
  });
}

function handThrough(id: string, request: IncomingMessage, socket: Duplex, head: Buffer, devicesUrl: string): void {
  // It may be gone already; nothing would tell of it any more.
  if (socket.destroyed) return;
  const onward = httpRequest(new URL(`/devices/${id}`, devicesUrl), { headers: asProgram(request, devicesUrl) });
  socket.on('close', () => onward.destroy());
  // A socket that nobody reads from does not notice that the other side is gone. What comes before the device has answered
  // is kept for it; no client has reason to send much then.
  const early: Buffer[] = [head];
  const gather = (data: Buffer): void => {
    early.push(data);
    if (early.length > MOST_EARLY) socket.destroy();
  };
  const leave = (): void => void socket.destroy();
  socket.on('data', gather).on('end', leave);
  onward.on('upgrade', (answer, far, farHead) => {
    far.on('error', () => undefined);
    if (socket.destroyed) {
      far.destroy();
      return;
    }
    far.on('close', () => socket.destroy());
    socket.on('close', () => far.destroy());
    const lines = Object.entries(answer.headers).map(([k, v]) => `${k}: ${String(v)}`);
    socket.write(`HTTP/1.1 101 Switching Protocols\r\n${lines.join('\r\n')}\r\n\r\n`);
    if (farHead.length > 0) socket.write(farHead);
    socket.off('data', gather).off('end', leave);
    for (const data of early) if (data.length > 0) far.write(data);
    far.pipe(socket).pipe(far);
  });
  onward.on('response', (answer) => socket.end(`HTTP/1.1 ${answer.statusCode} ${answer.statusMessage}\r\n\r\n`));
  onward.on('error', () => socket.end('HTTP/1.1 502 Bad Gateway\r\n\r\n'));
  onward.end();
}

/** The headers as this server sends them on: it has looked at where the request comes from. */
function asProgram({ headers }: IncomingMessage, devicesUrl: string): IncomingMessage['headers'] {
  const kept = Object.entries(headers).filter(([name]) => name !== 'origin' && !name.startsWith('sec-fetch-'));
  return { ...Object.fromEntries(kept), host: new URL(devicesUrl).host };
}
