import { act } from '@testing-library/react';
import { ViewHarness } from '../../test/view-harness';
import { store } from '../app/store';
import { toolChosen } from '../app/view-slice';
import { MeasureOverlay } from './measure-overlay';

const choose = (tool: 'turn' | 'measure') => act(() => void store.dispatch(toolChosen(tool)));
afterEach(() => choose('turn'));

test('two clicks measure, a third begins anew, Escape takes all back; dragging measures nothing', () => {
  const view = new ViewHarness(MeasureOverlay);
  view.pick = (x, y) => ({ point: [x, y, 0], snapped: x < 100 });
  view.click(10, 10);
  expect(view.text).toBe('');
  choose('measure');
  expect(view.text).toBe('Click one end of the distance.');
  view.click(0, 0);
  expect(view.text).toMatch(/Click the other end/);
  view.press(5, 5);
  view.release(60, 60);
  expect(view.text).toMatch(/Click the other end/);
  view.click(30, 40);
  expect(view.text).toBe('Distance 50.00 mm, from point to point');
  expect(view.last('mark')).toEqual([
    [
      [0, 0, 0],
      [30, 40, 0],
    ],
  ]);
  view.click(300, 0);
  view.click(300, 7);
  expect(view.text).toBe('Distance 7.00 mm');
  view.key('Escape');
  expect(view.text).toBe('Click one end of the distance.');
  choose('turn');
  expect(view.last('mark')).toEqual([[]]);
});

test('a click beside everything picks nothing', () => {
  const view = new ViewHarness(MeasureOverlay);
  choose('measure');
  view.click(1, 1);
  expect(view.text).toBe('Click one end of the distance.');
});
