import type { WallMap } from '@amber-knit/core/measure';
import { WallsDesk } from './walls-desk';
import type { FromWalls, ToWalls } from './walls.worker';

const map: WallMap = { thickness: Float32Array.of(1, 2), thinRatio: 0.5, unsureRatio: 0, thinnest: 1, places: [] };

/** A worker whose answers come when they are told to. */
function slowWorker() {
  const asked: { question: ToWalls; answer: (a: FromWalls) => void }[] = [];
  let ended = 0;
  const worker = {
    ask: (question: ToWalls) => new Promise<FromWalls>((answer) => void asked.push({ question, answer })),
    end: () => void ended++,
  };
  return { worker, asked, ended: () => ended };
}
const settled = () => new Promise((resolve) => setTimeout(resolve, 0));

test('walls are measured with what is wanted, and held with it', async () => {
  const { worker, asked } = slowWorker();
  const desk = new WallsDesk(worker);
  desk.set({ least: 2, method: 'ball' });
  void desk.measure('m1');
  expect([desk.current().busy, asked[0].question]).toEqual([true, { meshId: 'm1', least: 2, method: 'ball' }]);
  asked[0].answer({ map });
  await settled();
  expect(desk.current()).toMatchObject({ busy: false, shown: true, found: { meshId: 'm1', terms: { least: 2 }, map } });
  desk.clear();
  expect(desk.current().found).toBeNull();
});

test('what was asked before other terms is not shown as theirs', async () => {
  const { worker, asked } = slowWorker();
  const desk = new WallsDesk(worker);
  void desk.measure('m1');
  desk.set({ least: 3 });
  void desk.measure('m1');
  asked[0].answer({ map });
  await settled();
  expect([desk.current().busy, desk.current().found]).toEqual([true, null]);
  asked[1].answer({ map });
  await settled();
  expect(desk.current().found?.terms.least).toBe(3);
});

test('terms that change while it measures end nothing: what comes is told with the terms it was measured with', async () => {
  const { worker, asked } = slowWorker();
  const desk = new WallsDesk(worker);
  desk.set({ least: 2 });
  void desk.measure('m1');
  desk.set({ least: 3 });
  asked[0].answer({ map });
  await settled();
  expect(desk.current()).toMatchObject({ busy: false, terms: { least: 3 }, found: { terms: { least: 2 } } });
});

test('a cancelled look ends its worker; a failed one says why, and what was there stays', async () => {
  const { worker, asked, ended } = slowWorker();
  const desk = new WallsDesk(worker);
  void desk.measure('m1');
  desk.cancel();
  expect([desk.current().busy, ended()]).toEqual([false, 1]);
  asked[0].answer({ map });
  await settled();
  expect(desk.current().found).toBeNull();
  void desk.measure('m1');
  asked[1].answer({ failed: 'The surface is gone.' });
  await settled();
  expect(desk.current()).toMatchObject({ busy: false, failed: 'The surface is gone.', found: null });
});
