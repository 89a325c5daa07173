import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { WebSocketServer } from 'ws';
import WebSocket from 'ws';
import type { Response } from 'supertest';
import type { CaptureView, DeviceList, PieceView, StepView } from '@amber-knit/contracts';
import type { DepthFrame } from '@amber-knit/core/geometry';
import { identity } from '@amber-knit/core/math';
import {
  decodeCapture,
  decodeColor,
  decodePictureZip,
  encodeColorPng,
  encodeFrames,
  encodePictureZip,
} from '@amber-knit/core/stored';
import { FIRST_ANSWERS } from '@amber-knit/planning';
import { Harness } from '../../test/harness.js';

let harness: Harness;
let devices: Server;

beforeAll(async () => {
  devices = createServer((_request, response) => {
    response.end(JSON.stringify({ devices: [{ id: 'one', name: 'One' }] }));
  });
  const sockets = new WebSocketServer({ server: devices });
  sockets.on('connection', (s, request) => s.on('message', (m) => s.send(`${request.url} ${String(m)}`)));
  await new Promise<void>((r) => devices.listen(0, '127.0.0.1', r));
  harness = await Harness.start(process.env.DATABASE_URL!, {
    devicesUrl: `http://127.0.0.1:${(devices.address() as AddressInfo).port}`,
  });
});
afterAll(async () => {
  devices.closeAllConnections();
  devices.close();
  await harness.app.close();
});

/** A stored frame that sees a wall at a distance. */
function frame(distance: number): Buffer {
  const camera = { width: 40, height: 30, fx: 40, fy: 40, cx: 19.5, cy: 14.5 };
  const f: DepthFrame = {
    name: 'f',
    camera,
    depth: new Float32Array(1200).fill(distance),
    scanFromSensor: identity(),
  };
  return Buffer.from(encodeFrames([f]));
}

async function begin(): Promise<{ piece: PieceView; capture: CaptureView }> {
  const piece = await harness.newPiece();
  const body = { name: 'First round', setup: 'Upright', deviceId: 'one', settings: { exposure: 6 } };
  const capture = (await harness.http().post(`/api/pieces/${piece.id}/captures`).send(body).expect(201))
    .body as CaptureView;
  return { piece, capture };
}

/** Reads an answer as bytes. */
function whole(r: Response, done: (error: Error | null, body: Buffer) => void): void {
  const parts: Buffer[] = [];
  r.on('data', (d: Buffer) => parts.push(d)).on('end', () => done(null, Buffer.concat(parts)));
}

const put = (id: string, sequence: number, bytes: Buffer) =>
  harness
    .http()
    .put(`/api/captures/${id}/frames/${sequence}`)
    .set('content-type', 'application/octet-stream')
    .send(bytes);

test('frames arrive one by one, twice does no harm, and come back as one capture file', async () => {
  const { piece, capture } = await begin();
  for (const k of [0, 1, 2, 1]) await put(capture.id, k, frame(300 + k)).expect(204);
  const open = (await harness.http().get(`/api/pieces/${piece.id}/captures`).expect(200)).body as CaptureView[];
  expect(open).toMatchObject([{ id: capture.id, frames: 3, nextSequence: 3, status: 'open' }]);
  const back = await harness.http().get(`/api/captures/${capture.id}/frames`).buffer().parse(whole).expect(200);
  const file = decodeCapture(new Uint8Array(back.body as Buffer));
  expect(file.frames.map((f) => Math.round(f.depth[0]))).toEqual([300, 301, 302]);
  expect(file.meta).toMatchObject({ setup: 'Upright', sequences: [0, 1, 2] });
});

test('a bad stretch is taken back, not deleted; what comes after goes on', async () => {
  const { capture } = await begin();
  for (const k of [0, 1, 2, 3]) await put(capture.id, k, frame(300)).expect(204);
  const taken = (await harness.http().post(`/api/captures/${capture.id}/take-back`).send({ from: 2 }).expect(200))
    .body as CaptureView;
  expect(taken).toMatchObject({ frames: 2, nextSequence: 4 });
  await put(capture.id, 4, frame(300)).expect(204);
  expect((await harness.http().get(`/api/captures/${capture.id}`)).body).toMatchObject({ frames: 3 });
});

test('finishing queues a step with the frames; a finished or empty capture takes nothing', async () => {
  const { piece, capture } = await begin();
  const early = await harness.http().post(`/api/captures/${capture.id}/finish`).send({}).expect(422);
  expect(early.body).toMatchObject({ detail: expect.stringContaining('no frame yet') as string });
  await put(capture.id, 0, frame(300)).expect(204);
  const step = await harness.http().post(`/api/captures/${capture.id}/finish`).send({ support: 'keep' }).expect(202);
  expect(step.body).toMatchObject({ operationId: 'capture.live', pieceId: piece.id, params: { support: 'keep' } });
  expect((await put(capture.id, 1, frame(300))).status).toBe(400);
  // Asked again, as a page does whose answer was lost: the same step.
  const again = await harness.http().post(`/api/captures/${capture.id}/finish`).send({}).expect(202);
  expect((again.body as StepView).id).toBe((step.body as StepView).id);
  expect((await harness.http().get(`/api/pieces/${piece.id}/captures`)).body).toEqual([]);
});

test('finished four times at once it becomes one scan, and no frame is lost beside it', async () => {
  const { piece, capture } = await begin();
  for (const k of [0, 1, 2]) await put(capture.id, k, frame(300)).expect(204);
  const finish = () => harness.http().post(`/api/captures/${capture.id}/finish`).send({});
  const [late, ...answers] = await Promise.all([
    put(capture.id, 3, frame(300)),
    finish(),
    finish(),
    finish(),
    finish(),
  ]);
  expect(answers.map((a) => a.status)).toEqual([202, 202, 202, 202]);
  expect(new Set(answers.map((a) => (a.body as StepView).id)).size).toBe(1);
  const steps = (await harness.http().get(`/api/pieces/${piece.id}/steps`)).body as StepView[];
  expect(steps).toHaveLength(1);
  // The frame that came meanwhile is in it, or was told that it came too late.
  const back = await harness.http().get(`/api/captures/${capture.id}/frames`).buffer().parse(whole).expect(200);
  const held = decodeCapture(new Uint8Array(back.body as Buffer)).frames.length;
  expect(held).toBe(late.status === 204 ? 4 : 3);
});

test('pictures of a line-laser recording arrive one by one, come back as a zip, and become a scan with their stand', async () => {
  const piece = await harness.newPiece();
  const body = { name: 'Turn 1', setup: 'Upright', deviceId: 'one', settings: { distance: 440 }, holds: 'pictures' };
  const capture = (await harness.http().post(`/api/pieces/${piece.id}/captures`).send(body).expect(201))
    .body as CaptureView;
  const picture = (k: number): Buffer =>
    Buffer.from(encodeColorPng({ width: 2, height: 1, data: Uint8Array.of(k, 0, 0, 0, 0, 0) }));
  for (const k of [0, 1, 2]) await put(capture.id, k, picture(k)).expect(204);
  // A depth frame is no picture.
  expect((await put(capture.id, 3, frame(300))).status).toBe(422);
  const back = await harness.http().get(`/api/captures/${capture.id}/frames`).buffer().parse(whole).expect(200);
  const pictures = decodePictureZip(new Uint8Array(back.body as Buffer));
  expect(pictures.map((p) => decodeColor(p.bytes, p.name).data[0])).toEqual([0, 1, 2]);
  const recording = { distance: 440, laserAngle: 27, height: 80 };
  const step = await harness.http().post(`/api/captures/${capture.id}/finish`).send({ recording }).expect(202);
  expect(step.body).toMatchObject({ operationId: 'capture.line-laser', params: { ...recording, name: 'Turn 1' } });
  expect((await harness.http().get(`/api/pieces/${piece.id}/captures`)).body).toEqual([]);
});

test('broken frames are refused and change nothing', async () => {
  const { capture } = await begin();
  const whole = frame(300);
  for (const bad of [Buffer.from('hello there'), whole.subarray(0, 200), Buffer.alloc(0)]) {
    const answer = await put(capture.id, 0, bad);
    expect([400, 422]).toContain(answer.status);
  }
  expect((await harness.http().get(`/api/captures/${capture.id}`)).body).toMatchObject({ frames: 0 });
});

test('discarding closes a capture and keeps its frames', async () => {
  const { capture } = await begin();
  await put(capture.id, 0, frame(300)).expect(204);
  expect((await harness.http().delete(`/api/captures/${capture.id}`).expect(200)).body).toMatchObject({
    status: 'discarded',
    frames: 1,
  });
});

test('devices are listed and reached through the server, from its own pages only', async () => {
  const list = (await harness.http().get('/api/devices').expect(200)).body as DeviceList;
  expect(list.devices.map((d) => d.id)).toEqual(['one']);
  const talk = (origin?: string): Promise<string> =>
    new Promise((resolve) => {
      const s = new WebSocket(`${harness.base.replace('http', 'ws')}/api/devices/one`, { origin });
      s.on('open', () => s.send('hello'));
      s.on('message', (m: Buffer) => {
        resolve(String(m));
        s.close();
      });
      s.on('error', (e: Error) => resolve(e.message));
    });
  expect(await talk()).toBe('/devices/one hello');
  expect(await talk(harness.base)).toBe('/devices/one hello');
  expect(await talk('http://elsewhere.example')).toContain('403');
});

test('a plan is checked, kept and sets the later defaults', async () => {
  const piece = await harness.newPiece();
  expect(piece.plan).toBeNull();
  const plan = { ...FIRST_ANSWERS, size: 300, finish: 'render' };
  await harness.http().patch(`/api/pieces/${piece.id}`).send({ plan }).expect(200);
  const after = await harness.piece(piece.id);
  expect(after.plan).toEqual(plan);
  expect(after.stages.find((s) => s.stage === 'plan')).toMatchObject({ state: 'done', figure: '300 mm' });
  const fuse = await harness.http().get(`/api/pieces/${piece.id}/suggestions?operation=fuse.surface`);
  expect((fuse.body as { values: { voxel: number } }).values.voxel).toBeCloseTo(0.86, 2);
  const bad = { ...plan, kind: 'castle', size: -1 };
  const refused = await harness.http().patch(`/api/pieces/${piece.id}`).send({ plan: bad }).expect(400);
  expect(JSON.stringify(refused.body)).toMatch(/kind|size/);
});

test('a server that starts anew goes on with the capture of the one before', async () => {
  const { piece, capture } = await begin();
  await put(capture.id, 0, frame(300)).expect(204);
  const restarted = await Harness.start(process.env.DATABASE_URL!);
  try {
    const open = (await restarted.http().get(`/api/pieces/${piece.id}/captures`).expect(200)).body as CaptureView[];
    expect(open).toMatchObject([{ id: capture.id, frames: 1, nextSequence: 1 }]);
    // The frame that was under way when the old one stopped is sent again.
    for (const k of [0, 1]) {
      await restarted
        .http()
        .put(`/api/captures/${capture.id}/frames/${k}`)
        .set('content-type', 'application/octet-stream')
        .send(frame(300))
        .expect(204);
    }
    const finished = await restarted.http().post(`/api/captures/${capture.id}/finish`).send({ support: 'keep' });
    expect(finished.body).toMatchObject({ operationId: 'capture.live' });
  } finally {
    await restarted.app.close();
  }
});

test('an upload names the operation that takes it, with its parameters', async () => {
  const piece = await harness.newPiece();
  const zip = encodePictureZip([{ name: '0.png', bytes: new Uint8Array([1]) }]);
  const recording = { operation: 'capture.line-laser', params: JSON.stringify({ distance: 440, laserAngle: 27 }) };
  const step = await harness.step(await harness.upload(piece.id, 'Turn.zip', zip, recording));
  expect(step).toMatchObject({
    operationId: 'capture.line-laser',
    params: { distance: 440, laserAngle: 27, height: 100 },
  });
  for (const bad of [{ params: 'no json' }, { params: '[]' }, { operation: 'none' }, { params: '{"distance":-5}' }]) {
    await expect(harness.upload(piece.id, 'Turn.zip', zip, { ...recording, ...bad })).rejects.toThrow(/4\d\d/);
  }
});
