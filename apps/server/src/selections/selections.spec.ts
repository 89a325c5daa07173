import { encodeSelection } from '@amber-knit/core/stored';
import { BitSet } from '@amber-knit/core/geometry';
import { Harness } from '../../test/harness.js';

/** Remembered selections on the real application with a real database. */
let harness: Harness;

beforeAll(async () => {
  harness = await Harness.start(process.env.DATABASE_URL!);
});

afterAll(() => harness.app.close(), 30_000);

const points = BitSet.full(20);
points.delete(3);
const bytes = Buffer.from(encodeSelection([{ scan: 'a', base: '7f0f2a52-8c0b-4a0e-9f0b-0c8f3a1d2e4b', points }]));

test('selections are kept by name, replaced, read back and forgotten', async () => {
  const { id } = await harness.newPiece();
  const path = `/api/pieces/${id}/selections`;
  const keep = (name: string, body: Buffer) =>
    harness
      .http()
      .put(`${path}/${encodeURIComponent(name)}`)
      .set('content-type', 'application/octet-stream')
      .send(body);
  await keep('rim / lip', bytes).expect(204);
  await keep('handle', bytes).expect(204);
  await keep('handle', bytes).expect(204);
  expect((await harness.http().get(path).expect(200)).body).toEqual(['rim / lip', 'handle']);
  const back = await harness.http().get(`${path}/rim%20%2F%20lip`).responseType('blob').expect(200);
  expect(Buffer.compare(back.body as Buffer, bytes)).toBe(0);
  await harness.http().delete(`${path}/handle`).expect(204);
  expect((await harness.http().get(path)).body).toEqual(['rim / lip']);
  await harness.http().get(`${path}/handle`).expect(404);

  // What is no selection, has no name, or belongs to no piece is refused; nothing is kept.
  const refused = await keep('bad', Buffer.from('no bundle at all')).expect(422);
  expect(refused.body).toMatchObject({ detail: expect.stringMatching(/bundle/) as string });
  await keep('bad', bytes.subarray(0, 40)).expect(422);
  await keep('x'.repeat(61), bytes).expect(400);
  await harness.http().put(`${path}/bad`).send({ a: 1 }).expect(400);
  await harness
    .http()
    .put('/api/pieces/7f0f2a52-8c0b-4a0e-9f0b-0c8f3a1d2e4b/selections/a')
    .set('content-type', 'application/octet-stream')
    .send(bytes)
    .expect(404);
  expect((await harness.http().get(path)).body).toEqual(['rim / lip']);
});
