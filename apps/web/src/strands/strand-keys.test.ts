import { strandAction, type PressedKey } from './strand-keys';

const shown = ['a', 'b', 'c', 'd'];
const press = (key: string, with_: Partial<PressedKey> = {}): PressedKey => ({
  key,
  shiftKey: false,
  ctrlKey: false,
  metaKey: false,
  altKey: false,
  ...with_,
});

test('arrows go along the list and stop at its ends', () => {
  expect(strandAction(press('ArrowDown'), shown, 'b')).toEqual({ kind: 'go', to: 'c' });
  expect(strandAction(press('ArrowUp'), shown, 'b')).toEqual({ kind: 'go', to: 'a' });
  expect(strandAction(press('ArrowDown'), shown, 'd')).toEqual({ kind: 'go', to: 'd' });
  expect(strandAction(press('Home'), shown, 'c')).toEqual({ kind: 'go', to: 'a' });
  expect(strandAction(press('End'), shown, 'c')).toEqual({ kind: 'go', to: 'd' });
});

test('with Shift what is passed is chosen, the ends included', () => {
  const shift = { shiftKey: true };
  expect(strandAction(press('ArrowUp', shift), shown, 'c')).toEqual({ kind: 'choose', ids: ['b', 'c'], to: 'b' });
  expect(strandAction(press('End', shift), shown, 'b')).toEqual({ kind: 'choose', ids: ['b', 'c', 'd'], to: 'd' });
});

test('single keys choose, hide, show alone and open; others, and browser keys, are left alone', () => {
  expect(strandAction(press(' '), shown, 'a')).toEqual({ kind: 'toggle' });
  expect(strandAction(press('h'), shown, 'a')).toEqual({ kind: 'hide' });
  expect(strandAction(press('O', { shiftKey: true }), shown, 'a')).toEqual({ kind: 'alone' });
  expect(strandAction(press('F2'), shown, 'a')).toEqual({ kind: 'open' });
  expect(strandAction(press('a', { ctrlKey: true }), shown, 'a')).toEqual({ kind: 'choose-all' });
  expect(strandAction(press('Escape'), shown, 'a')).toEqual({ kind: 'choose-none' });
  expect(strandAction(press('h', { ctrlKey: true }), shown, 'a')).toBeUndefined();
  expect(strandAction(press('ArrowDown', { altKey: true }), shown, 'a')).toBeUndefined();
  expect(strandAction(press('q'), shown, 'a')).toBeUndefined();
  expect(strandAction(press('ArrowDown'), shown, 'gone')).toBeUndefined();
});
