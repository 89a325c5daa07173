import type { PlacingSheet } from '@amber-knit/core/placing';
import type { PieceView, StepView } from '@amber-knit/contracts';
import { block } from '../../test/block.js';
import { Harness } from '../../test/harness.js';

/** A piece in other surroundings, on the real application with a real database and worker threads. */
let harness: Harness;
let stop: () => Promise<void>;
let piece: PieceView;
let place: PieceView;

const bringIn = async (name: string): Promise<PieceView> => {
  const { id } = await harness.newPiece(name);
  await harness.finished(await harness.upload(id, 'block.ply', block(), { operation: 'mend.bring-in', params: '{}' }));
  return harness.piece(id);
};
beforeAll(async () => {
  harness = await Harness.startOnOwnDatabase('amberknit_placings');
  ({ stop } = await harness.work());
  piece = await bringIn('Block');
  place = await bringIn('Bench top');
});
afterAll(async () => {
  await stop();
  await harness.app.close();
});

const at = (x: number, y: number, z: number): number[] => [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, x, y, z, 1];
const bring = (artifact: string, operationId: string, params: object = {}) =>
  harness.http().post(`/api/pieces/${piece.id}/imports`).send({ artifact, operationId, params });
async function done(operationId: string, params: object): Promise<StepView> {
  const step = await harness.finished((await harness.enqueue(piece.id, operationId, params)).id);
  expect([operationId, step.status, step.error]).toEqual([operationId, 'done', null]);
  return step;
}
const sheet = async (): Promise<PlacingSheet> => {
  const { placings } = await harness.piece(piece.id);
  return (await harness.http().get(`/api/artifacts/${placings!.id}/data`).expect(200)).body as PlacingSheet;
};

test('without surroundings nothing is placed', async () => {
  const step = await harness.finished((await harness.enqueue(piece.id, 'check.placings', { placings: [] })).id);
  expect([step.status, step.error]).toEqual(['failed', '"Place in surroundings" needs surroundings first.']);
});

test('the surface of another piece becomes the surroundings; what is placed there is kept with what was found', async () => {
  const asked = await bring(place.mesh!.id, 'check.surroundings').expect(202);
  const step = await harness.finished((asked.body as StepView).id);
  expect(step.summary).toBe('Bench top: 60 × 40 × 20 mm, 4,400 triangles');
  let now = await harness.piece(piece.id);
  expect(now.surroundings?.facts).toMatchObject({ name: 'Bench top', triangles: 4400 });
  // Blocks of 60 × 40 × 20 mm: 5 mm above, 2 mm deep over half its length, and the way between.
  const placings = [
    { name: 'Above', note: 'for the lid', sceneFromPiece: at(0, 0, 25) },
    { name: 'Too low', note: '', sceneFromPiece: at(30, 0, 18) },
  ];
  const placed = await done('check.placings', { placings, ways: true });
  expect(placed.summary).toBe('2 placings, 1 clashing, least clearance 5.00 mm');
  const { asked: kept, found, ways, surroundings } = await sheet();
  expect([kept, surroundings]).toEqual([placings, 'Bench top']);
  expect([found[0].state, found[0].clearance.distance, found[1].state]).toEqual(['clear', 5, 'clash']);
  expect(Math.abs(found[1].clash!.depth - 2)).toBeLessThan(0.02);
  expect(Math.abs(found[1].clash!.volume! / (30 * 40 * 2) - 1)).toBeLessThan(0.03);
  expect([ways.length, ways[0].profile.length, ways[0].at]).toEqual([1, 61, 1]);
  now = await harness.piece(piece.id);
  expect([now.placingsFresh, now.placings?.facts.clashing]).toEqual([true, 1]);
  expect(await harness.violations()).toEqual([]);
});

test('a piece that is set upright stays where it was put; another surface makes placings out of date', async () => {
  const before = await sheet();
  await done('check.upright', { up: 'angles', turnX: 90, origin: 'middle' });
  const moved = await sheet();
  expect(moved.asked[0].sceneFromPiece).not.toEqual(before.asked[0].sceneFromPiece);
  const again = await done('check.placings', { placings: moved.asked });
  expect(again.summary).toBe('2 placings, 1 clashing, least clearance 5.00 mm');
  expect(Math.abs((await sheet()).found[0].clearance.distance - 5)).toBeLessThan(1e-3);
  await done('mend.reduce', { triangles: 1000 });
  expect((await harness.piece(piece.id)).placingsFresh).toBe(false);
  await harness.http().post(`/api/pieces/${piece.id}/undo`).expect(200);
  expect((await harness.piece(piece.id)).placingsFresh).toBe(true);
  // Other surroundings have another frame: what was placed in the old ones means nothing there.
  await harness.finished(((await bring(place.mesh!.id, 'check.surroundings').expect(202)).body as StepView).id);
  expect((await harness.piece(piece.id)).placings).toBeNull();
  await harness.http().post(`/api/pieces/${piece.id}/undo`).expect(200);
  expect((await harness.piece(piece.id)).placings).not.toBeNull();
});

test('another piece can be the reference of a comparison, too', async () => {
  const step = await harness.finished(
    ((await bring(place.mesh!.id, 'check.compare', { place: 'anywhere' }).expect(202)).body as StepView).id,
  );
  expect([step.status, step.summary]).toEqual(['done', expect.stringMatching(/^100.0 % .* of Bench top/)]);
});

test('what can’t be brought in, and motions that are none, are refused in words', async () => {
  const words = async (request: ReturnType<typeof bring>): Promise<string> =>
    ((await request.expect(400)).body as { detail: string }).detail;
  expect(await words(bring(place.mesh!.id, 'capture.import'))).toMatch(/Only files and surfaces/);
  expect(await words(bring(place.mesh!.id, 'mend.all'))).toMatch(/begins with no file/);
  const sheared = at(0, 0, 0);
  sheared[4] = 0.5;
  for (const placings of [
    [{ name: 'a', note: '', sceneFromPiece: sheared }],
    [{ name: 'a', note: '', sceneFromPiece: [1] }],
    [{ name: 'a' }],
  ]) {
    const body = { operationId: 'check.placings', params: { placings }, seed: 1 };
    await harness.http().post(`/api/pieces/${piece.id}/steps`).send(body).expect(400);
  }
});
