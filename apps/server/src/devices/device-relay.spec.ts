import { once } from 'node:events';
import { createServer, type Server } from 'node:http';
import { connect, type AddressInfo } from 'node:net';
import type { Duplex } from 'node:stream';
import { Harness } from '../../test/harness.js';

let harness: Harness;
let devices: Server;
const held = new Set<Duplex>();

beforeAll(async () => {
  devices = createServer();
  // It takes upgrades and then says nothing; what it holds is closed in the end.
  devices.on('upgrade', (_request, socket) => held.add(socket));
  devices.listen(0, '127.0.0.1');
  await once(devices, 'listening');
  harness = await Harness.start(process.env.DATABASE_URL!, {
    devicesUrl: `http://127.0.0.1:${(devices.address() as AddressInfo).port}`,
  });
});
afterAll(async () => {
  for (const socket of held) socket.destroy();
  devices.closeAllConnections();
  devices.close();
  await harness.app.close();
});

const upgrade = (extra: string): string =>
  `GET /api/devices/one HTTP/1.1\r\nHost: ${new URL(harness.base).host}\r\nConnection: Upgrade\r\nUpgrade: websocket\r\nSec-WebSocket-Version: 13\r\nSec-WebSocket-Key: dGhlIHNhbXBsZSBub25jZQ==\r\n${extra}\r\n`;
const port = (): number => Number(new URL(harness.base).port);

/** Sends raw text. @returns the first line that comes back */
async function ask(text: string): Promise<string> {
  const socket = connect(port(), '127.0.0.1');
  socket.write(text);
  const [data] = (await once(socket, 'data')) as [Buffer];
  socket.destroy();
  return String(data).split('\r\n')[0];
}

test.each(['Origin: null', 'Origin: http://[', 'Origin: x', 'Origin: http://elsewhere.example'])(
  '%s is turned away, and the server goes on',
  async (origin) => {
    expect(await ask(upgrade(`${origin}\r\n`))).toBe('HTTP/1.1 403 Forbidden');
    await harness.http().get('/health').expect(200);
  },
);

test('connections that are reset during an upgrade end nothing', async () => {
  for (let k = 0; k < 20; k++) {
    const socket = connect(port(), '127.0.0.1');
    await once(socket, 'connect');
    socket.write(upgrade(''));
    await new Promise((r) => setTimeout(r, k % 3));
    socket.resetAndDestroy();
  }
  await harness.http().get('/health').expect(200);
  // What was begun with the device service is ended there too.
  for (const socket of held) socket.on('error', () => undefined).resume();
  while ([...held].some((s) => !s.readableEnded && !s.destroyed)) await new Promise((r) => setTimeout(r, 20));
});
