import { act } from '@testing-library/react';
import { jest } from '@jest/globals';
import { ViewHarness } from '../../test/view-harness';
import { store } from '../app/store';
import { toolChosen, type Tool } from '../app/view-slice';
import { selectionClient } from './selection-client';
import { CuttingOverlay, SelectionOverlay } from './selection-overlay';

const choose = (tool: Tool) => act(() => void store.dispatch(toolChosen(tool)));
const select = jest.spyOn(selectionClient, 'select').mockImplementation(() => undefined as never);
const cut = jest.spyOn(selectionClient, 'cut').mockImplementation(() => Promise.resolve() as never);
beforeEach(() => jest.clearAllMocks());
afterEach(() => choose('turn'));

test('a lasso is drawn while the pointer is down, selects when it is let go, and is given up by Escape', () => {
  const view = new ViewHarness(SelectionOverlay);
  const drawn = () => view.container.querySelector('polygon')?.getAttribute('points');
  view.press(10, 10);
  expect(drawn()).toBeUndefined();
  choose('lasso');
  expect(view.last('setDrawing')).toEqual([true]);
  view.press(10, 10);
  view.move(90, 10);
  view.move(90, 80);
  expect(drawn()).toBe('10,10 90,10 90,80');
  view.release(90, 80, { shiftKey: true });
  expect(drawn()).toBeUndefined();
  expect(select).toHaveBeenCalledTimes(1);
  expect(select.mock.calls[0]).toMatchObject([{ kind: 'region', path: [10, 10, 90, 10, 90, 80] }, 'add']);
  view.press(10, 10);
  view.move(50, 50);
  view.key('Escape');
  view.release(50, 50);
  expect(select).toHaveBeenCalledTimes(1);
});

test.each([
  [{}, 'replace'],
  [{ shiftKey: true }, 'add'],
  [{ altKey: true }, 'subtract'],
  [{ shiftKey: true, altKey: true }, 'intersect'],
])('a rectangle let go with %o: %s', (keys, join) => {
  const view = new ViewHarness(SelectionOverlay);
  choose('rectangle');
  view.press(30, 40);
  view.move(35, 50);
  view.move(10, 20);
  view.release(10, 20, keys);
  expect(select.mock.calls[0]).toMatchObject([{ path: [30, 40, 10, 40, 10, 20, 30, 20] }, join]);
});

test('a ball goes along the surface, a place every third of its radius; beside it nothing is added', () => {
  const view = new ViewHarness(SelectionOverlay);
  choose('ball');
  view.pick = (x) => (x < 500 ? { point: [x, 0, 0], snapped: true } : undefined);
  view.press(0, 0);
  for (const x of [0.1, 0.2, 10, 20, 600]) view.move(x, 0);
  view.release(600, 0);
  expect(select.mock.calls[0]).toMatchObject([{ kind: 'ball', places: [0, 0, 0, 10, 0, 0, 20, 0, 0] }, 'replace']);
});

test('Enter clicks in the middle of the view, for tools that click', () => {
  const view = new ViewHarness(SelectionOverlay);
  expect(view.key('Enter')).toBe(false);
  choose('piece');
  expect(view.key('Enter')).toBe(true);
  expect(select.mock.calls[0]).toMatchObject([{ kind: 'piece', at: [400, 300] }, 'replace']);
});

test('Delete cuts what is selected; with nothing selected it is left to others', () => {
  const view = new ViewHarness(CuttingOverlay);
  expect(view.key('Delete')).toBe(false);
  const some = jest.spyOn(selectionClient, 'current').mockReturnValue({ ...selectionClient.current(), total: 7 });
  expect(view.key('Delete')).toBe(true);
  expect(cut).toHaveBeenCalledWith('remove', '');
  some.mockRestore();
});
