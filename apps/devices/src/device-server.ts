import { createServer, type Server } from 'node:http';
import { WebSocketServer, type WebSocket } from 'ws';
import type { DeviceInfo } from '@amber-knit/device-protocol';
import { foreignRequest } from '@amber-knit/origins';
import { MODELS } from './device-catalogue.js';
import { SimulatedDevice } from './simulated-device.js';

/** Discovery: `GET /devices`. A session: WebSocket at `/devices/<id>`. */
export function createDeviceServer(): Server {
  const server = createServer((request, response) => {
    if (foreignRequest(request.headers, [], request.method !== 'GET')) {
      response.writeHead(403, { 'content-type': 'application/json' });
      response.end(JSON.stringify({ error: 'Pages of other sites may not use the devices.' }));
      return;
    }
    const found = request.method === 'GET' && request.url === '/devices';
    response.writeHead(found ? 200 : 404, { 'content-type': 'application/json' });
    const devices: DeviceInfo[] = MODELS.map((m) => m.info);
    response.end(JSON.stringify(found ? { devices } : { error: 'Devices are listed at /devices.' }));
  });
  const sockets = new WebSocketServer({ noServer: true, maxPayload: 64 * 1024 });
  server.on('upgrade', (request, socket, head) => {
    // An error without a listener would end the process.
    socket.on('error', () => undefined);
    if (foreignRequest(request.headers, [], true)) {
      socket.end('HTTP/1.1 403 Forbidden\r\n\r\n');
      return;
    }
    const id = /^\/devices\/([\w-]+)$/.exec(request.url ?? '')?.[1];
    const model = MODELS.find((m) => m.info.id === id);
    if (!model) {
      socket.end('HTTP/1.1 404 Not Found\r\n\r\n');
      return;
    }
    sockets.handleUpgrade(request, socket, head, (ws: WebSocket) => {
      const device = new SimulatedDevice(model, {
        text: (m) => ws.send(JSON.stringify(m)),
        frame: (bytes) => ws.send(bytes),
      });
      ws.on('message', (data, binary) => {
        if (!binary) device.receive(String(data));
      });
      ws.on('close', () => device.close());
      ws.on('error', () => device.close());
    });
  });
  return server;
}
