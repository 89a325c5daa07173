import type { GuidedState, MadeRecipe, StepView } from '@amber-knit/contracts';
import { firstGuideAnswers, type GuideAnswers } from '@amber-knit/planning';
import { Harness, scanFile } from '../../test/harness.js';

/** Guided runs on the real application with a real database and worker threads. */
let harness: Harness;
let stop: () => Promise<void>;

beforeAll(async () => {
  harness = await Harness.startOnOwnDatabase('amberknit_guided');
  ({ stop } = await harness.work());
});

afterAll(async () => {
  await stop();
  await harness.app.close();
});

const answers = (change: Partial<GuideAnswers> = {}): GuideAnswers => ({
  ...firstGuideAnswers(null),
  kind: 'figure',
  support: 'no',
  fineness: 'quick',
  ...change,
});
const path = (id: string): string => `/api/pieces/${id}/guided`;
const start = async (id: string, given = answers()): Promise<GuidedState> =>
  (await harness.http().put(path(id)).send(given).expect(200)).body as GuidedState;
const state = async (id: string, at = harness): Promise<GuidedState> =>
  (await at.http().get(path(id)).expect(200)).body as GuidedState;
const post = (id: string, what: string, body: object = {}) =>
  harness
    .http()
    .post(`${path(id)}/${what}`)
    .send(body);
const steps = async (id: string): Promise<StepView[]> =>
  (await harness.http().get(`/api/pieces/${id}/steps`).expect(200)).body as StepView[];
const names = async (id: string): Promise<string[]> => (await steps(id)).map((s) => s.operationId);

async function until(
  id: string,
  wanted: (s: NonNullable<GuidedState['run']>) => boolean,
): Promise<NonNullable<GuidedState['run']>> {
  for (let i = 0; i < 900; i++) {
    const { run } = await state(id);
    if (run && wanted(run)) return run;
    await new Promise((r) => setTimeout(r, 100));
  }
  throw new Error(`The run did not get there: ${JSON.stringify(await state(id))}`);
}

/** Leaves every stop for later. @returns the run at its end */
async function letGo(id: string): Promise<NonNullable<GuidedState['run']>> {
  for (;;) {
    const run = await until(id, (r) => r.status === 'asking' || r.status === 'done');
    if (run.status === 'done') return run;
    await post(id, 'decisions', { stop: run.stop!.key, choice: 'later' }).expect(200);
  }
}

test('a run takes placed scans to a verdict by ordinary steps, once each', async () => {
  const { id } = await harness.placedPair();
  expect(await state(id)).toEqual({ run: null, first: firstGuideAnswers(null) });
  const { run } = await start(id);
  expect(run).toMatchObject({ status: 'working', verdict: null });
  expect(run!.secondsLeft).toBeGreaterThan(0);
  const done = await letGo(id);
  // Two half balls that hardly meet: a person must judge, and what was left for later is never called good.
  expect(done.verdict!.grade).not.toBe('good');
  expect(done.decided.every((d) => d.choice === 'later')).toBe(true);
  expect(done.way.filter((w) => w.state === 'done').map((w) => w.operationId)).toEqual([
    'clean.strays',
    'register.fine',
    'fuse.surface',
    'mend.all',
    'check.inspect',
  ]);
  const ran = await names(id);
  expect(new Set(ran).size).toBe(ran.length);

  // The same by hand makes the same bytes.
  const guided = (await steps(id)).find((s) => s.operationId === 'fuse.surface')!;
  const blob = async (artifact: string) =>
    (await harness.http().get(`/api/artifacts/${artifact}/data`).responseType('blob').expect(200)).body as Buffer;
  const again = await harness.finished((await harness.enqueue(id, 'fuse.surface', guided.params)).id);
  expect(Buffer.compare(await blob(again.outputs[0]), await blob(guided.outputs[0]))).toBe(0);
});

test('whoever goes back stops the run; told to go on, it does again what follows', async () => {
  const { id } = await harness.placedPair();
  await start(id, answers({ openings: 'keep' }));
  await letGo(id);
  const before = await names(id);
  while ((await harness.piece(id)).mesh) await harness.http().post(`/api/pieces/${id}/undo`).expect(200);
  expect((await state(id)).run).toMatchObject({
    status: 'paused',
    now: expect.stringContaining('went back') as string,
  });
  expect(await names(id)).toEqual(before);
  await post(id, 'go-on').expect(200);
  await letGo(id);
  const after = await names(id);
  expect(after.filter((n) => n === 'fuse.surface')).toHaveLength(2);
  expect(after.filter((n) => n === 'clean.strays')).toHaveLength(1);
});

test('a server that comes later goes on where another was ended, and two queue nothing twice', async () => {
  const { id } = await harness.placedPair();
  await post(id, 'pause').expect(404);
  await start(id);
  await post(id, 'pause').expect(200);
  // The one that began is paused; two others find it when it is to go on.
  const others = await Promise.all([Harness.start(harness.databaseUrl), Harness.start(harness.databaseUrl)]);
  await post(id, 'go-on').expect(200);
  await until(id, (r) => r.status === 'asking' || r.status === 'done');
  for (const other of others) expect((await state(id, other)).run?.status).toMatch(/asking|done/);
  const ran = await names(id);
  expect(new Set(ran).size).toBe(ran.length);
  for (const other of others) await other.app.close();
});

test('it waits for scans, and begins with those that come', async () => {
  const { id } = await harness.newPiece('Empty');
  expect((await start(id)).run).toMatchObject({ status: 'waiting-for-scans' });
  await harness.finished(await harness.upload(id, 'ball.ply', scanFile(4000)));
  await until(id, (r) => r.status === 'asking' || r.status === 'done');
  expect(await names(id)).toEqual(expect.arrayContaining(['capture.import', 'clean.strays', 'fuse.surface']));
});

test('a step that a person stops is asked about, not run again by itself', async () => {
  const { id } = await harness.newPiece('Stopped');
  await harness.finished(await harness.upload(id, 'ball.ply', scanFile(60_000)));
  await start(id, answers({ fineness: 'finest' }));
  const working = await until(id, (r) => r.way.some((w) => w.state === 'running' && w.stepId !== null));
  const running = working.way.find((w) => w.state === 'running')!;
  await harness.http().post(`/api/steps/${running.stepId}/cancel`).expect(202);
  await harness.finished(running.stepId!);
  const { run } = await state(id);
  // It may have ended before it was stopped.
  if ((await harness.step(running.stepId!)).status === 'cancelled') {
    expect(run).toMatchObject({ status: 'asking', stop: { title: expect.stringContaining('was stopped') as string } });
    await post(id, 'decisions', { stop: run!.stop!.key, choice: 'again' }).expect(200);
  }
  await until(id, (r) => (r.status === 'asking' && !r.stop!.key.startsWith('failed')) || r.status === 'done');
});

test('what is no answer, no stop and no choice is refused, and nothing is changed', async () => {
  const { id } = await harness.placedPair();
  await harness
    .http()
    .put(path(id))
    .send({ ...answers(), kind: 'spaceship' })
    .expect(400);
  await harness.http().put(path(id)).send({ kind: 'part' }).expect(400);
  expect((await state(id)).run).toBeNull();
  await start(id);
  const { stop: asked } = await until(id, (r) => r.status === 'asking');
  await post(id, 'decisions', { stop: 'places@1', choice: 'as-is' }).expect(404);
  const refused = await post(id, 'decisions', { stop: asked!.key, choice: 'perhaps' }).expect(400);
  expect(refused.body).toMatchObject({
    detail: expect.stringMatching(/no choice "perhaps"; there are /) as string,
  });
  expect((await state(id)).run!.stop!.key).toBe(asked!.key);
  await harness.http().get(path('00000000-0000-4000-8000-000000000000')).expect(404);
});

test('what was done to a piece is a recipe for another: the same steps, the same bytes, and it stops at its end', async () => {
  const { id } = await harness.placedPair();
  await start(id, answers({ openings: 'close' }));
  await letGo(id);
  const made = (await harness.http().get(`/api/pieces/${id}/recipe`).expect(200)).body as MadeRecipe;
  expect(made.notRepeated).toEqual([]);
  expect(made.recipe.steps.map((s) => s.operation)).toEqual(
    (await names(id)).filter((n) => n !== 'capture.import' && n !== 'deliver.export'),
  );
  const { id: other } = await harness.placedPair();
  const recipe = { ...made.recipe, steps: [...made.recipe.steps, { operation: 'deliver.export' }] };
  const followed = await harness
    .http()
    .put(`${path(other)}/recipe`)
    .send({ recipe })
    .expect(200);
  expect((followed.body as GuidedState).run).toMatchObject({ recipe: 'What was done to Test piece' });
  const { way } = await letGo(other);
  expect(way.map((w) => w.state)).toEqual(way.map(() => 'done'));
  const mesh = async (piece: string): Promise<Buffer> => {
    const artifact = (await harness.piece(piece)).mesh!.id;
    return (await harness.http().get(`/api/artifacts/${artifact}/data`).responseType('blob')).body as Buffer;
  };
  expect(Buffer.compare(await mesh(other), await mesh(id))).toBe(0);
  expect((await names(other)).filter((n) => n === 'deliver.export')).toHaveLength(1);
  await harness
    .http()
    .put(`${path(other)}/recipe`)
    .send({ recipe: { version: 9 } })
    .expect(400);
});

test('nothing that a run leaves is astray', async () => {
  expect(await harness.violations()).toEqual([]);
});
