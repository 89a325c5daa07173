import type { PieceView, StepView } from '@amber-knit/contracts';
import { BitSet } from '@amber-knit/core/geometry';
import { encodeSelection } from '@amber-knit/core/stored';
import { Harness, scanFile } from '../../test/harness.js';

/** Cuts on the real application with a real database and worker threads. */
let harness: Harness;
let stop: () => Promise<void>;

beforeAll(async () => {
  harness = await Harness.start(process.env.DATABASE_URL!);
  ({ stop } = await harness.work());
});

afterAll(async () => {
  await stop();
  await harness.app.close();
});

const http = () => harness.http();

/** Cuts the first `points` rows of some scans. */
async function cut(view: PieceView, names: string[], points: number, params = {}): Promise<StepView> {
  const selection = names.map((name) => {
    const { cloud } = view.scanList.find((s) => s.name === name)!;
    const set = new BitSet(20_000);
    for (let i = 0; i < points; i++) set.add(i);
    return { scan: name, base: String(cloud.facts.base ?? cloud.id), points: set };
  });
  const about = { operation: 'clean.cut', params: JSON.stringify({ only: names, ...params }) };
  return harness.finished(await harness.upload(view.id, 'selection', encodeSelection(selection), about));
}

test('cuts are bits over the stored cloud; undo, redo, splitting, emptying and an outdated selection', async () => {
  const { id } = await harness.newPiece();
  for (const name of ['front', 'back'])
    await harness.finished(await harness.upload(id, `${name}.ply`, scanFile(), { setup: name }));
  await harness.finished((await harness.enqueue(id, 'register.automatic')).id);
  const before = await harness.piece(id);
  const scanOf = (view: PieceView, name: string) => view.scanList.find((s) => s.name === name)!;
  const whole = scanOf(before, 'front').cloud;

  expect(await cut(before, ['front'], 500)).toMatchObject({
    status: 'done',
    summary: '500 points cut away in 1 scans',
  });
  let view = await harness.piece(id);
  const once = scanOf(view, 'front').cloud;
  expect(once.facts).toMatchObject({ points: 19_500, base: whole.id });
  expect(once.bytes).toBeLessThan(3000);
  expect(scanOf(view, 'back').cloud.id).toBe(scanOf(before, 'back').cloud.id);

  // A cut of a cut still counts in the cloud as it was stored; stray points removed are kept as bits too.
  await cut(view, ['front'], 600);
  await harness.finished((await harness.enqueue(id, 'clean.strays', { only: ['back'], densityRatio: 0.95 })).id);
  view = await harness.piece(id);
  expect(scanOf(view, 'front').cloud.facts).toMatchObject({ points: 19_400, base: whole.id });
  expect(scanOf(view, 'back').cloud.facts.base).toBe(scanOf(before, 'back').cloud.id);

  // What is made from cut scans is up to date until they are cut again.
  const register = (v: PieceView) => v.stages.find((s) => s.stage === 'register')!.state;
  expect(register(view)).toBe('outdated');
  await harness.finished((await harness.enqueue(id, 'register.automatic')).id);
  view = await harness.piece(id);
  expect(register(view)).toBe('done');
  await harness.finished((await harness.enqueue(id, 'register.fine')).id);
  expect(register(await harness.piece(id))).toBe('done');

  // An excluded scan is left out until it is taken in again.
  await harness.finished((await harness.enqueue(id, 'register.exclude', { only: ['back'] })).id);
  view = await harness.piece(id);
  expect([scanOf(view, 'back').placement.state, register(view)]).toEqual(['excluded', 'done']);
  await harness.finished((await harness.enqueue(id, 'register.automatic')).id);
  expect(scanOf(await harness.piece(id), 'back').placement.state).toBe('excluded');
  await harness.finished((await harness.enqueue(id, 'register.exclude', { only: ['back'], exclude: false })).id);
  await harness.finished((await harness.enqueue(id, 'register.automatic')).id);
  view = await harness.piece(id);
  expect(scanOf(view, 'back').placement.state).not.toBe('excluded');

  const split = await cut(view, ['front', 'back'], 2000, { action: 'split', name: 'rim' });
  expect(split).toMatchObject({ status: 'done', figures: { newScans: 2 } });
  view = await harness.piece(id);
  expect(scanOf(view, 'front rim')).toMatchObject({
    setup: 'front',
    cloud: { facts: { points: 1400, base: whole.id } },
    placement: { state: scanOf(before, 'front').placement.state },
  });
  const points = view.points;

  await cut(view, ['back', 'back rim'], 20_000);
  view = await harness.piece(id);
  expect(view.scanList.map((s) => s.name)).toEqual(['front', 'front rim']);
  view = (await http().post(`/api/pieces/${id}/undo`).expect(200)).body as PieceView;
  expect(view).toMatchObject({ scans: 4, points });

  // Thinning makes new points: what was selected on the old ones no longer fits.
  await harness.finished((await harness.enqueue(id, 'clean.thin', { cell: 1 })).id);
  expect(await cut(before, ['front'], 500)).toMatchObject({
    status: 'failed',
    error: expect.stringContaining('"front" has been changed'),
  });
  for (let k = 0; k < 11; k++) await http().post(`/api/pieces/${id}/undo`).expect(200);
  view = await harness.piece(id);
  expect(view.points).toBe(before.points);
  expect(scanOf(view, 'front').cloud.id).toBe(whole.id);
});
