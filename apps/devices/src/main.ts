import { createDeviceServer } from './device-server.js';
import { OBJECTS } from './scene-shelf.js';
import { truthOf } from './scene-shelf.js';

const port = Number(process.env.DEVICES_PORT ?? 4781);
const server = createDeviceServer();
server.listen(port, '127.0.0.1', () => {
  console.log(`Simulated devices on http://127.0.0.1:${port}/devices`);
  // The first object is made ready before somebody asks for it.
  setTimeout(() => truthOf(OBJECTS[0]), 3000).unref();
});
const stop = (): void => process.exit(0);
for (const signal of ['SIGTERM', 'SIGINT', 'SIGHUP', 'disconnect'] as const) process.once(signal, stop);
