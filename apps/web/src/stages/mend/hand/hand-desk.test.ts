import type { ToHand } from './hand-messages';
import { HandDesk } from './hand-desk';

const asked: ToHand[] = [];
let cleared = 0;
const desk = (): HandDesk => {
  asked.length = cleared = 0;
  const made = new HandDesk({ ask: (m) => void asked.push(m), clearReached: () => void cleared++ });
  made.fit(150);
  return made;
};

test('the first brush follows the size of the surface; what was chosen stays', () => {
  const d = desk();
  expect(d.current().radius).toBe(5);
  d.grow(1.25);
  d.fit(9000);
  expect(d.current().radius).toBe(6.3);
});

test('a stroke of a brush begins, goes on where the pen has moved far enough, and ends', () => {
  const d = desk();
  d.choose('smooth');
  d.set({ strength: 0.8 });
  d.press([1.00004, 2, 3]);
  expect(d.draw([1.5, 2, 3])).toBe(false);
  expect(d.draw([3, 2, 3], 0.25)).toBe(true);
  d.release();
  expect(asked).toEqual([
    { ask: 'begin', manner: { kind: 'smooth', amount: 0.8, keepEdges: true, withinError: false } },
    { ask: 'dab', dab: [1, 2, 3, 5, 1] },
    { ask: 'dab', dab: [3, 2, 3, 5, 0.25] },
    { ask: 'end' },
  ]);
  d.release();
  expect(asked).toHaveLength(4);
});

test('a stroke without end becomes several edits', () => {
  const d = desk();
  d.choose('erase');
  d.press([0, 0, 0]);
  for (let i = 1; i <= 5000; i++) d.draw([2 * i, 0, 0]);
  d.release();
  const done = asked.flatMap((m) => (m.ask === 'do' && m.edit.kind === 'erase' ? [m.edit.dabs.length] : []));
  expect(done).toEqual([5000, 1]);
});

test('pushing takes the length, flattening the strength', () => {
  const d = desk();
  d.choose('push');
  d.set({ by: -2 });
  d.press([0, 0, 0]);
  expect(asked[0]).toEqual({ ask: 'begin', manner: { kind: 'push', amount: -2 } });
  d.choose('flatten');
  expect(asked.at(-1)).toEqual({ ask: 'end' });
  d.press([0, 0, 0]);
  expect(asked.at(-2)).toEqual({ ask: 'begin', manner: { kind: 'flatten', amount: 0.5, withinError: false } });
});

test('what takes away shows what it reaches, and does it when the pen leaves', () => {
  const d = desk();
  d.choose('refill');
  d.press([0, 0, 0]);
  d.draw([4, 0, 0]);
  expect(asked).toEqual([
    { ask: 'reach', dab: [0, 0, 0, 5, 1] },
    { ask: 'reach', dab: [4, 0, 0, 5, 1] },
  ]);
  d.release();
  expect(asked[2]).toEqual({
    ask: 'do',
    edit: {
      kind: 'refill',
      dabs: [
        [0, 0, 0, 5, 1],
        [4, 0, 0, 5, 1],
      ],
    },
  });
  expect(cleared).toBeGreaterThan(0);
});

test('Escape gives up what is drawn, and then the tool', () => {
  const d = desk();
  d.choose('erase');
  d.press([0, 0, 0]);
  expect(d.cancel()).toBe(true);
  d.release();
  expect(asked.filter((m) => m.ask === 'do')).toEqual([]);
  expect(d.current().tool).toBe('erase');
  d.cancel();
  expect(d.current().tool).toBeNull();
  expect(d.cancel()).toBe(false);
});

test('a hole is filled by a click, a bridge by two, or by dragging', () => {
  const d = desk();
  d.choose('fill');
  d.set({ shape: 'flat' });
  d.click([1, 1, 1]);
  d.choose('bridge');
  d.set({ width: 4 });
  d.click([2, 0, 0]);
  expect(d.current().from).toEqual([2, 0, 0]);
  d.click([3, 0, 0]);
  d.bridge([5, 5, 5], [6, 6, 6]);
  expect(asked).toEqual([
    { ask: 'do', edit: { kind: 'fill', at: [1, 1, 1], shape: 'flat' } },
    { ask: 'do', edit: { kind: 'bridge', from: [2, 0, 0], to: [3, 0, 0], width: 4 } },
    { ask: 'do', edit: { kind: 'bridge', from: [5, 5, 5], to: [6, 6, 6], width: 4 } },
  ]);
  expect(d.current().from).toBeNull();
  d.click([2, 0, 0]);
  d.cancel();
  expect(d.current()).toMatchObject({ from: null, tool: 'bridge' });
});

test('a level cut by a click, any other by its plane', () => {
  const d = desk();
  d.choose('cut');
  d.click([0, 0, 9]);
  expect(asked).toEqual([]);
  d.set({ cutAlong: 'level', keep: 'smaller', cap: false });
  d.click([0, 0, 9]);
  d.cut([0, 0, 0], [0, 3, 4]);
  d.cut([0, 0, 0], [0, 0, 0]);
  expect(asked).toEqual([
    { ask: 'cut', cut: { kind: 'cut', at: [0, 0, 9], normal: [0, 0, 1], keep: 'smaller', cap: false } },
    { ask: 'cut', cut: { kind: 'cut', at: [0, 0, 0], normal: [0, 0.6, 0.8], keep: 'smaller', cap: false } },
  ]);
});

test('what is drawn round is told with the picture, in whole pixels and not in more places than are taken', () => {
  const d = desk();
  d.choose('lasso');
  const view = { clipFromView: Float64Array.from({ length: 16 }, (_, i) => i), width: 800, height: 600 };
  d.lasso([1, 1, 2, 2], view, [0, 0, 9]);
  expect(asked).toEqual([]);
  d.set({ through: true, refill: false });
  d.lasso([1.4, 1, 90, 2, 50, 80.6], view, [0, 0, 9]);
  expect(asked).toEqual([
    {
      ask: 'do',
      edit: {
        kind: 'lasso',
        outline: [1, 1, 90, 2, 50, 81],
        clipFromView: Array.from(view.clipFromView),
        size: [800, 600],
        eye: [0, 0, 9],
        through: true,
        refill: false,
      },
    },
  ]);
  d.lasso(
    Array.from({ length: 20_000 }, (_, i) => i % 500),
    view,
    [0, 0, 9],
  );
  const last = asked.at(-1)!;
  expect(last.ask === 'do' && last.edit.kind === 'lasso' && last.edit.outline.length).toBeLessThanOrEqual(8000);
});
