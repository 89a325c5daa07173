import type { StepView } from '@amber-knit/contracts';
import { block } from '../../test/block.js';
import { Harness } from '../../test/harness.js';

/** A surface from a file, worked on by hand, on the real application. */
let harness: Harness;
let stop: () => Promise<void>;

beforeAll(async () => {
  harness = await Harness.startOnOwnDatabase('amberknit_by_hand');
  ({ stop } = await harness.work());
});
afterAll(async () => {
  await stop();
  await harness.app.close();
});

test('a surface comes in, is asked about its unit, and is worked on by hand; lists do not carry what was drawn', async () => {
  const piece = await harness.newPiece('Block');
  const about = { operation: 'mend.bring-in', params: JSON.stringify({ unit: 'auto', expected: 600 }) };
  const doubtful = await harness.upload(piece.id, 'block.ply', block(), about);
  const asked = await harness.until(doubtful, (s) => s.status === 'failed');
  expect(asked.error).toMatch('the plan says 600 mm. Which unit is it in?');
  const { id } = (
    await harness
      .http()
      .post(`/api/steps/${doubtful}/again`)
      .send({ params: { unit: 'mm' } })
      .expect(202)
  ).body as StepView;
  await harness.finished(id);
  expect((await harness.step(id)).figures).toMatchObject({ watertight: true, size: '60.0 × 40.0 × 20.0' });

  const edits = [
    { kind: 'cut', at: [0, 0, 15], normal: [0, 0, -1], cap: true },
    { kind: 'push', dabs: [[30, 20, 0, 6, 1]], amount: 2 },
  ];
  const step = await harness.enqueue(piece.id, 'mend.by-hand', { edits });
  await harness.finished(step.id);
  const whole = await harness.step(step.id);
  expect(whole).toMatchObject({ status: 'done', params: { edits }, figures: { edits: 2, watertight: true } });
  const steps = (await harness.http().get(`/api/pieces/${piece.id}/steps`).expect(200)).body as StepView[];
  expect(steps.at(-1)).toMatchObject({ id: step.id, params: {}, paramList: [{ text: '2 given' }] });
  expect((await harness.piece(piece.id)).mesh!.facts.watertight).toBe(true);
  const refused = await harness
    .http()
    .post(`/api/pieces/${piece.id}/steps`)
    .send({ operationId: 'mend.by-hand', params: { edits: [{ kind: 'melt' }] } });
  expect(refused.status).toBe(400);
  expect((refused.body as { detail: string }).detail).toMatch('edit 1 must be one of smooth');
  expect(await harness.violations()).toEqual([]);
});
