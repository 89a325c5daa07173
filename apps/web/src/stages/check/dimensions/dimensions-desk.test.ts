import type { Dimension, DimensionSheet, MeasuredDimension } from '@amber-knit/core/dimensions';
import { DimensionsDesk } from './dimensions-desk';
import type { Numbered } from '../../../shared/asking-worker';
import type { FromDimensions, ToDimensions } from './dimensions.worker';

const found = (value: number): MeasuredDimension => ({
  values: [{ label: 'Wall', kind: 'length', value }],
  places: [],
  moved: 0,
  inventedRatio: 0,
  lines: [],
  label: [0, 0, 0],
});
const wall = (name: string, x: number): Dimension => ({ name, note: '', kind: 'wall', places: [[x, 0, 0]] });
const questions: ToDimensions[] = [];

class PromptWorker {
  onmessage: ((e: { data: Numbered<FromDimensions> }) => void) | null = null;
  postMessage({ number, message: question }: Numbered<ToDimensions>): void {
    questions.push(question);
    const answer: FromDimensions =
      'dimension' in question ? { found: found(question.dimension.places[0][0]) } : { failed: 'no such surface' };
    queueMicrotask(() => this.onmessage?.({ data: { number, message: answer } }));
  }
  terminate(): void {}
}
beforeEach(() => {
  questions.length = 0;
  Object.assign(globalThis, { Worker: PromptWorker });
});
const settle = () => new Promise((resolve) => setTimeout(resolve));

test('what is picked is listed and measured at once, and wanted until the server has it', async () => {
  const desk = new DimensionsDesk();
  const kept = [wall('Wall 1', 3)];
  const sheet: DimensionSheet = { asked: kept, found: [found(3)] };
  desk.choose('wall', 'm', kept);
  desk.pick([7, 0, 0], 'm', kept);
  await settle();
  const rows = desk.rows('m', sheet, true);
  expect(rows.map((r) => [r.asked.name, r.found?.values[0].value])).toEqual([
    ['Wall 1', 3],
    ['Wall 2', 7],
  ]);
  expect(desk.current().wanted).toHaveLength(2);
  desk.settled(sheet);
  expect(desk.current().wanted).toHaveLength(2);
  desk.settled({ asked: rows.map((r) => r.asked), found: rows.map((r) => r.found!) });
  expect(desk.current().wanted).toBeNull();
});

test('a new name measures nothing anew; another place does', async () => {
  const desk = new DimensionsDesk();
  desk.choose('wall', 'm', []);
  desk.pick([7, 0, 0], 'm', []);
  await settle();
  desk.change(0, { name: 'Rim' }, 'm', []);
  await settle();
  expect(questions).toHaveLength(1);
  expect(desk.rows('m', undefined, true)[0]).toMatchObject({
    asked: { name: 'Rim' },
    found: { values: [{ value: 7 }] },
  });
  desk.change(0, { places: [[8, 0, 0]] }, 'm', []);
  await settle();
  expect(questions).toHaveLength(2);
  expect(desk.rows('m', undefined, true)[0].found?.values[0].value).toBe(8);
});

test('on a changed surface the list shows what the server measured until something newer is there', () => {
  const desk = new DimensionsDesk();
  const sheet: DimensionSheet = { asked: [wall('Wall 1', 3)], found: [found(3)] };
  expect(desk.rows('new', sheet, false)[0].found?.values[0].value).toBe(3);
});

test('what is refused or taken away is no longer listed', () => {
  const desk = new DimensionsDesk();
  const kept = [wall('Wall 1', 3), wall('Wall 2', 4)];
  const sheet: DimensionSheet = { asked: kept, found: [found(3), found(4)] };
  desk.remove(0, kept);
  expect(desk.rows('m', sheet, true).map((r) => r.asked.name)).toEqual(['Wall 2']);
  desk.refused();
  expect(desk.rows('m', sheet, true)).toHaveLength(2);
});

test('a section that can’t be drawn says why', async () => {
  const desk = new DimensionsDesk();
  await expect(desk.drawing('svg', wall('a', 1), 'm')).rejects.toThrow('no such surface');
});
