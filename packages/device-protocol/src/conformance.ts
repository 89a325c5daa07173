import { DeviceSession, type SocketLike } from './device-session.js';
import type { DeviceFrame } from './frame-codec.js';
import type { DeviceInfo, DeviceMessage } from './messages.js';

export interface ConformanceResult {
  rule: string;
  ok: boolean;
  detail: string;
}

/**
 * Checks an adapter against the protocol: every rule of docs/device-protocol.md that can be seen from outside.
 * @param connect opens a new WebSocket to the device
 * @param patience longest wait for an answer, ms
 */
export async function checkConformance(connect: () => SocketLike, patience = 4000): Promise<ConformanceResult[]> {
  const results: ConformanceResult[] = [];
  const check = (rule: string, ok: boolean, detail = ''): void => void results.push({ rule, ok, detail });
  const messages: DeviceMessage[] = [];
  const frames: DeviceFrame[] = [];
  let ended = '';
  const session = await DeviceSession.open(connect(), {
    message: (m) => messages.push(m),
    frame: (f) => frames.push(f),
    closed: (reason) => (ended = reason),
  });
  const { device } = session;
  const waitFor = async <T>(look: () => T | undefined | false): Promise<T | undefined> => {
    for (const until = Date.now() + patience; Date.now() < until && !ended;) {
      const found = look();
      if (found) return found;
      await pause(10);
    }
    return look() || undefined;
  };
  const answer = <K extends DeviceMessage['type']>(type: K, from: number) =>
    waitFor(() => messages.slice(from).find((m): m is Extract<DeviceMessage, { type: K }> => m.type === type));

  check('describes itself', describes(device), JSON.stringify(device.range));

  let from = messages.length;
  session.send({ type: 'nonsense' } as never);
  check('answers an unknown message with bad-message', (await answer('error', from))?.code === 'bad-message');

  const spec = device.settings[0];
  from = messages.length;
  session.send({ type: 'settings', values: { [spec.name]: spec.max + 1e6 } });
  const echoed = (await answer('settings', from))?.settings[spec.name];
  check('brings settings into their limits and says so', echoed === spec.max, `${spec.name} ${echoed}`);
  session.send({ type: 'settings', values: { [spec.name]: spec.default } });

  from = messages.length;
  session.send({ type: 'start' });
  check('says that it runs', (await answer('state', from))?.state === 'running');
  await pause(250);
  check('sends nothing without credit', frames.length === 0, `${frames.length} frames`);
  session.send({ type: 'credit', frames: 2 });
  await waitFor(() => frames.length >= 2);
  await pause(250);
  check('sends as many frames as there is credit', frames.length === 2, `${frames.length} of 2`);
  check('numbers frames upwards', frames.length === 2 && frames[1].sequence > frames[0].sequence);
  check('lets time go on', frames.length === 2 && frames[1].time > frames[0].time);
  const f = frames[0];
  check('brings the sensors it names', f !== undefined && bringsAll(device, f), device.sensors.join(', '));
  check('keeps depths within its range', f === undefined || withinRange(device, f));

  if (device.sensors.includes('angle')) {
    from = messages.length;
    session.send({ type: 'turn', angle: 90 });
    check('turns its table', Math.abs(((await answer('turned', from))?.angle ?? NaN) - 90) < 0.5);
  }
  from = messages.length;
  session.send({ type: 'pause' });
  check('pauses', (await answer('state', from))?.state === 'paused');
  const before = frames.length;
  session.send({ type: 'credit', frames: 5 });
  await pause(300);
  check('sends nothing while paused', frames.length === before);
  from = messages.length;
  session.send({ type: 'stop' });
  check('stops', (await answer('state', from))?.state === 'idle');
  check('stays connected all along', ended === '', ended);
  session.close();
  return results;
}

const pause = (ms: number): Promise<void> => new Promise((r) => setTimeout(r, ms));

function describes(d: DeviceInfo): boolean {
  const { near, best, far } = d.range;
  return Boolean(d.id && d.name && d.about) && near > 0 && near <= best && best <= far && d.sensors.length > 0;
}

function bringsAll(device: DeviceInfo, f: DeviceFrame): boolean {
  const has = { depth: f.depth, infrared: f.depth?.infrared, color: f.color, angle: f.angle, pose: f.pose };
  // Colour may come with some frames only.
  return device.sensors.every((s) => s === 'color' || has[s] !== undefined);
}

function withinRange(device: DeviceInfo, f: DeviceFrame): boolean {
  if (!f.depth) return true;
  const { near, far } = device.range;
  return f.depth.data.every((z) => z === 0 || (z * f.depth!.unit > 0.5 * near && z * f.depth!.unit < 2 * far));
}
