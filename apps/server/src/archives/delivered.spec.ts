import { createHash } from 'node:crypto';
import { strFromU8, unzipSync } from 'fflate';
import type { PieceView, StepView } from '@amber-knit/contracts';
import { SphereGeometry } from 'three';
import { writePly } from '@amber-knit/core/io';
import { Harness } from '../../test/harness.js';

/** Several delivered files in one zip, on the real application with a real database. */
let harness: Harness;
let stop: () => Promise<void>;
let piece: PieceView;

async function done(operationId: string, params: object): Promise<StepView> {
  const step = await harness.finished((await harness.enqueue(piece.id, operationId, params)).id);
  expect([operationId, step.status, step.error]).toEqual([operationId, 'done', null]);
  return step;
}
const zipOf = async (query = ''): Promise<Record<string, Uint8Array>> =>
  unzipSync(
    new Uint8Array(
      (await harness.http().get(`/api/pieces/${piece.id}/delivered${query}`).responseType('blob').expect(200))
        .body as Buffer,
    ),
  );

beforeAll(async () => {
  harness = await Harness.startOnOwnDatabase('amberknit_delivered');
  ({ stop } = await harness.work());
  piece = (await harness.http().post('/api/pieces').send({ name: 'Kugel ø 40', note: '' }).expect(201))
    .body as PieceView;
  const ball = new SphereGeometry(20, 40, 30);
  const ply = writePly({
    positions: Float32Array.from(ball.getAttribute('position').array),
    indices: Uint32Array.from(ball.getIndex()!.array),
  });
  const about = { operation: 'mend.bring-in', params: JSON.stringify({ unit: 'mm' }) };
  const step = await harness.finished(await harness.upload(piece.id, 'ball.ply', ply, about));
  expect(step.error).toBeNull();
});
afterAll(async () => {
  await stop();
  await harness.app.close();
});

test('nothing delivered, nothing to take; what is delivered later is in it, the newest of each name, with checksums', async () => {
  const { body } = await harness.http().get(`/api/pieces/${piece.id}/delivered`).expect(404);
  expect((body as { detail: string }).detail).toMatch(/Nothing was delivered/);
  await done('deliver.export', { name: 'ball', format: 'stl', unit: 'mm' });
  await done('deliver.export', { name: 'ball', format: 'stl', unit: 'm' });
  const off = await done('deliver.export', { name: '../ball', format: 'off' });
  const files = await zipOf();
  expect(Object.keys(files).sort()).toEqual(['ball.off', 'ball.stl', 'checksums.sha256']);
  // In metres: the second of its name.
  expect(new DataView(files['ball.stl'].buffer, files['ball.stl'].byteOffset).getFloat32(96, true)).toBeLessThan(0.1);
  for (const line of strFromU8(files['checksums.sha256']).trim().split('\n')) {
    const [sum, name] = line.split('  ');
    expect(createHash('sha256').update(files[name]).digest('hex')).toBe(sum);
  }
  expect(Object.keys(await zipOf(`?only=${off.outputs[0]}`))).toHaveLength(2);
});

test('what is not of the piece is refused by name, and no piece by 404', async () => {
  const { body } = await harness.http().get(`/api/pieces/${piece.id}/delivered?only=nonsense`).expect(400);
  expect((body as { detail: string }).detail).toMatch(/"nonsense" is none/);
  await harness.http().get('/api/pieces/00000000-0000-4000-8000-000000000000/delivered').expect(404);
  await harness.http().get(`/api/pieces/${piece.id}/delivered?only[]=a&only[]=b`).expect(200);
});
