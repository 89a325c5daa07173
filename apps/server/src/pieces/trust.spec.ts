import type { TrustSheet } from '@amber-knit/core/fusion';
import type { PieceView, StepView } from '@amber-knit/contracts';
import { decodeMesh } from '@amber-knit/core/stored';
import { Harness } from '../../test/harness.js';

/** Which scans count where, on the real application with a real database and worker threads. */
let harness: Harness;
let stop: () => Promise<void>;
let piece: PieceView;

beforeAll(async () => {
  harness = await Harness.startOnOwnDatabase('amberknit_trust');
  ({ stop } = await harness.work());
  piece = await harness.placedPair();
});

afterAll(async () => {
  await stop();
  await harness.app.close();
});

async function done(operationId: string, params: object): Promise<StepView> {
  const step = await harness.finished((await harness.enqueue(piece.id, operationId, params)).id);
  expect([operationId, step.status, step.error]).toEqual([operationId, 'done', null]);
  return step;
}
const now = (): Promise<PieceView> => harness.piece(piece.id);
const fuseState = async (): Promise<string | undefined> => (await now()).stages.find((s) => s.stage === 'fuse')?.state;
const data = async (id: string): Promise<Buffer> =>
  (await harness.http().get(`/api/artifacts/${id}/data`).responseType('blob').expect(200)).body as Buffer;
const move = (direction: 'undo' | 'redo') => harness.http().post(`/api/pieces/${piece.id}/${direction}`).expect(200);

test('places of trust are steps of their own; a surface that did not go by them is out of date', async () => {
  await done('fuse.surface', { voxel: 2 });
  expect(await fuseState()).toBe('done');
  const before = decodeMesh(await data((await now()).mesh!.id));
  expect(before.scanNames).toEqual(['left', 'right']);

  // Everything about the right one's middle is said not to count.
  const regions = [{ name: 'Right', how: 'not', scans: ['right'], balls: [[70, 0, 280, 200]], width: 5 }];
  const step = await done('fuse.trust', { regions });
  expect(step.summary).toBe('1 place where scans are chosen');
  const { trust, mesh } = await now();
  expect(mesh).not.toBeNull();
  expect(JSON.parse((await data(trust!.id)).toString()) as TrustSheet).toEqual({ version: 1, units: 'mm', regions });
  expect(await fuseState()).toBe('outdated');

  await move('undo');
  expect([(await now()).trust, await fuseState()]).toEqual([null, 'done']);
  await move('redo');
  expect(await fuseState()).toBe('outdated');

  await done('fuse.surface', { voxel: 2 });
  expect(await fuseState()).toBe('done');
  const after = decodeMesh(await data((await now()).mesh!.id));
  expect(after.positions.length).toBeLessThan(0.7 * before.positions.length);

  // Set upright, what was said follows the piece, and nothing is out of date.
  await done('check.upright', { up: 'angles', turnX: 90 });
  const turned = JSON.parse((await data((await now()).trust!.id)).toString()) as TrustSheet;
  expect(turned.regions[0].balls[0][3]).toBe(200);
  expect(turned.regions[0].balls[0].slice(0, 3)).not.toEqual([70, 0, 280]);
  expect(await fuseState()).toBe('done');

  // Said otherwise since: out of date once more.
  await done('fuse.trust', { regions: [] });
  expect(await fuseState()).toBe('outdated');
});

test('what can’t be is refused with its name, and nothing is changed', async () => {
  const { trust } = await now();
  const response = await harness
    .http()
    .post(`/api/pieces/${piece.id}/steps`)
    .send({
      operationId: 'fuse.trust',
      params: { regions: [{ name: 'a', how: 'only', scans: ['left'], balls: [], width: 1 }] },
    })
    .expect(400);
  expect(JSON.stringify(response.body)).toMatch(/balls/);
  expect((await now()).trust).toEqual(trust);
});
