import type { FoundPlacing, Placing, PlacingSheet } from '@amber-knit/core/placing';
import type { Numbered } from '../../../shared/asking-worker';
import { PlacingDesk } from './placing-desk';
import type { FromPlacing, ToPlacing } from './placing.worker';

/** Answers at the next turn: clear by what the piece is high above 0. */
const questions: ToPlacing[] = [];
let answerTo: (q: ToPlacing) => FromPlacing;
class PromptWorker {
  onmessage: ((e: { data: Numbered<FromPlacing> }) => void) | null = null;
  onerror: (() => void) | null = null;
  postMessage({ number, message }: Numbered<ToPlacing>): void {
    questions.push(message);
    queueMicrotask(() => this.onmessage?.({ data: { number, message: answerTo(message) } }));
  }
  terminate(): void {}
}
const foundAt = (z: number): FoundPlacing => ({
  state: z > 0 ? 'clear' : 'clash',
  clearance: { distance: Math.max(0, z), onPiece: [0, 0, z], onScene: [0, 0, 0], invented: false },
  ...(z > 0 ? {} : { clash: { depth: -z, at: [0, 0, 0], within: 0 } }),
});
const usual = (q: ToPlacing): FromPlacing => {
  if (q.ask === 'open') return { middle: [0, 0, 5], radius: 10, scene: { min: [-50, -50, 0], max: [50, 50, 40] } };
  if (q.ask === 'look') {
    const found = foundAt(q.motion[14]);
    return { found, ...(q.thorough && found.clash ? { depths: Float32Array.of(1, 0) } : {}) };
  }
  return { motion: at(1, 2, 3) };
};
const at = (x: number, y: number, z: number): number[] => [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, x, y, z, 1];
const settle = (ms = 0) => new Promise((resolve) => setTimeout(resolve, ms));
const placing = (name: string, z: number): Placing => ({ name, note: '', sceneFromPiece: at(0, 0, z) });

let desk: PlacingDesk;
beforeEach(async () => {
  questions.length = 0;
  answerTo = usual;
  Object.assign(globalThis, { Worker: PromptWorker });
  desk = new PlacingDesk();
  await desk.begin('p', 's');
  await settle();
});
afterEach(() => desk.clear());

test('a piece begins above the middle of its surroundings, and is looked at there', () => {
  expect(desk.current().motion).toEqual(at(0, 0, 45));
  expect(desk.current().live).toEqual(foundAt(45));
  expect(desk.numbers).toEqual({ middle: [0, 0, 50], turns: [0, 0, 0] });
});

test('while it moves it is looked at quickly, only where it is now; once it lies still thoroughly', async () => {
  questions.length = 0;
  desk.grab();
  for (let z = 40; z > -3; z--) desk.drag(at(0, 0, z));
  expect(desk.current().fresh).toBe(false);
  await settle();
  const looks = questions.flatMap((q) => (q.ask === 'look' ? [[q.motion[14], q.thorough]] : []));
  // The first, and then the last: what lay between is past.
  expect(looks).toEqual([
    [40, false],
    [-2, false],
  ]);
  await settle(450);
  expect(questions.at(-1)).toMatchObject({ ask: 'look', thorough: true });
  expect([desk.current().fresh, desk.current().live?.state]).toEqual([true, 'clash']);
  expect(desk.current().depths).toEqual(Float32Array.of(1, 0));
});

test('each move is taken back alone, a drag as one', () => {
  desk.grab();
  desk.drag(at(0, 0, 30));
  desk.drag(at(0, 0, 20));
  desk.shift(0, 7);
  desk.turn(2, 90);
  desk.numbers = { middle: [1, 2, 25], turns: [0, 0, 0] };
  expect(desk.current().motion!.map((v) => Math.round(v))).toEqual(at(1, 2, 20));
  desk.step('undo');
  expect(Math.round(desk.numbers.turns[2])).toBe(90);
  desk.step('undo');
  expect(desk.current().motion).toEqual(at(7, 0, 20));
  desk.step('undo');
  desk.step('undo');
  expect(desk.current().motion).toEqual(at(0, 0, 45));
  expect(desk.step('undo')).toBe(false);
  expect(desk.step('redo')).toBe(true);
  expect([desk.current().motion, desk.current().canRedo]).toEqual([at(0, 0, 20), true]);
});

test('clicks set it down, or lay a face of it on one of the surroundings; Escape lets go', async () => {
  await desk.clickedScene([9, 9, 9]);
  expect(questions.some((q) => q.ask === 'set-down')).toBe(false);
  desk.choose('set-down');
  await desk.clickedScene([9, 9, 9]);
  expect(questions.find((q) => q.ask === 'set-down')).toMatchObject({ place: [9, 9, 9], motion: at(0, 0, 45) });
  expect(desk.current().motion).toEqual(at(1, 2, 3));
  desk.choose('lay-on');
  await desk.clickedScene([8, 8, 8]);
  expect(questions.some((q) => q.ask === 'lay-on')).toBe(false);
  desk.clickedPiece([0, 0, -5]);
  desk.withdraw();
  expect([desk.current().picked, desk.current().tool]).toEqual([null, 'lay-on']);
  desk.clickedPiece([0, 0, -5]);
  await desk.clickedScene([8, 8, 8]);
  expect(questions.find((q) => q.ask === 'lay-on')).toMatchObject({ from: [0, 0, -5], to: [8, 8, 8] });
  desk.withdraw();
  expect(desk.current().tool).toBe('move');
});

test('what can’t be done is said in words, and the piece stays where it is', async () => {
  answerTo = (q) => (q.ask === 'set-down' ? { failed: 'There is no room.' } : usual(q));
  desk.choose('set-down');
  await desk.clickedScene([9, 9, 9]);
  expect([desk.current().failed, desk.current().motion]).toEqual(['There is no room.', at(0, 0, 45)]);
});

test('what is kept is listed at once, wanted until the server has it, with what was found as far as it is known', () => {
  const sheet: PlacingSheet = {
    surroundings: 'Corner',
    asked: [placing('Low', 2), placing('High', 45)],
    found: [foundAt(2), foundAt(45)],
    ways: [{ profile: [2, 45], at: 0, sceneFromPiece: at(0, 0, 2), found: foundAt(2), within: 0.02 }],
  };
  expect(desk.rows(sheet).map((r) => [r.asked.name, r.found?.clearance.distance, r.way?.at])).toEqual([
    ['Low', 2, undefined],
    ['High', 45, 0],
  ]);
  desk.moveTo(at(0, 0, 9));
  desk.keep(sheet.asked);
  expect(desk.rows(sheet).map((r) => [r.asked.name, r.found?.clearance.distance])).toEqual([
    ['Low', 2],
    ['High', 45],
    ['Placing 1', undefined],
  ]);
  desk.change(2, { name: 'On the shelf' }, sheet.asked);
  desk.remove(0, sheet.asked);
  // Another one comes before it now: the way that was looked at is not this one.
  expect(desk.rows(sheet)[0].way).toBeUndefined();
  const wanted = desk.current().wanted!;
  expect(wanted.map((p) => p.name)).toEqual(['High', 'On the shelf']);
  desk.settled(sheet);
  expect(desk.current().wanted).toBe(wanted);
  desk.settled({ ...sheet, asked: wanted });
  expect(desk.current().wanted).toBeNull();
  // Shown alone again, what is not yet kept is not forgotten.
  desk.keep(wanted);
  desk.end();
  expect([desk.current().open, desk.current().wanted?.length]).toEqual([null, 3]);
  desk.refused();
  expect(desk.current().wanted).toBeNull();
});

test('a placing that is chosen puts the piece there, and can be taken back', () => {
  desk.goTo(1, placing('High', 12));
  expect([desk.current().motion, desk.current().selected]).toEqual([at(0, 0, 12), 1]);
  desk.step('undo');
  expect([desk.current().motion, desk.current().selected]).toEqual([at(0, 0, 45), null]);
});
